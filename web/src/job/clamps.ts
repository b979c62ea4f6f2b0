import type { Change, Work } from "../api/client";
import type { Box, Place } from "../engine/camera";
import type { Grip } from "./grips";
import { shiftOf } from "./scenes";
import { newId, type Sheet, type Ticket } from "./ticket";

const LEAST = 1;

/** A clamp where it lies on the table; of the job, or of its machine, which is changed in the library. */
export interface LaidClamp {
  readonly key: string;
  readonly box: Box;
  readonly grip: Grip | null;
}

/** The bed under a sheet, in mm on the table; null where nobody knows where the job will be put. */
export function bedOf(sheet: Sheet, ticket: Ticket, work: Work): Box | null {
  const bed = work.sheets[sheet.id]?.bed;
  if (!bed) return null;
  const shift = shiftOf(ticket, work, sheet.id);
  return [bed[0] + shift, bed[1], bed[2] + shift, bed[3]];
}

/** Every clamp of every bed that is known. */
export function clampsOn(ticket: Ticket, work: Work): LaidClamp[] {
  return ticket.sheets.flatMap((sheet) => {
    const bed = bedOf(sheet, ticket, work);
    if (!bed) return [];
    const of = (zone: Sheet["clamps"][number]): Box => [
      bed[0] + zone.x,
      bed[1] + zone.y,
      bed[0] + zone.x + zone.width,
      bed[1] + zone.y + zone.height,
    ];
    const own = sheet.clamps.map((zone, k): LaidClamp => {
      const box = of(zone);
      const at = { x: (box[0] + box[2]) / 2, y: (box[1] + box[3]) / 2 };
      const here = `sheets/${sheet.id}/clamps/${zone.id}`;
      const moved = (to: Place): Change[] => [
        { path: `${here}/x`, value: within(to.x - zone.width / 2 - bed[0]), operation: "set" },
        { path: `${here}/y`, value: within(to.y - zone.height / 2 - bed[1]), operation: "set" },
      ];
      const removed: Change[] = [{ path: here, operation: "remove" }];
      return {
        key: `${sheet.id} ${zone.id}`,
        box,
        grip: { key: `clamp ${sheet.id} ${zone.id}`, at, words: `Move clamp ${k + 1}`, moved, removed },
      };
    });
    const machines = sheet.machine.clamps.map(
      (zone): LaidClamp => ({ key: `${sheet.id} machine ${zone.id}`, box: of(zone), grip: null }),
    );
    return [...machines, ...own];
  });
}

/** The change that a box drawn over a bed makes: a clamp of the job that lies on it; null for one beside every bed. */
export function drawnClamp(ticket: Ticket, work: Work, from: Place, to: Place): Change[] | null {
  const [left, right] = [Math.min(from.x, to.x), Math.max(from.x, to.x)];
  const [top, bottom] = [Math.min(from.y, to.y), Math.max(from.y, to.y)];
  for (const sheet of ticket.sheets) {
    const bed = bedOf(sheet, ticket, work);
    if (!bed || right <= bed[0] || left >= bed[2] || bottom <= bed[1] || top >= bed[3]) continue;
    const [x, y] = [within(left - bed[0]), within(top - bed[1])];
    const [width, height] = [within(right - bed[0] - x), within(bottom - bed[1] - y)];
    if (width < LEAST || height < LEAST) return null;
    const value = { id: newId("z"), x, y, width, height };
    return [{ path: `sheets/${sheet.id}/clamps`, value, operation: "add" }];
  }
  return null;
}

/** To a tenth of a millimetre, not beyond the bed's corner. */
function within(value: number): number {
  return Math.max(0, Math.round(value * 10) / 10);
}
