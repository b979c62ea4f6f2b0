import createClient from "openapi-fetch";
import { changedBy } from "./differences";
import type { components, paths } from "./types.gen";

export type Job = components["schemas"]["JobOut"];
type Differing = components["schemas"]["DifferingOut"];
export type Card = components["schemas"]["CardOut"];
export type BoardPage = components["schemas"]["BoardOut"];
export type BoardOrder = NonNullable<NonNullable<paths["/api/jobs"]["get"]["parameters"]["query"]>["order"]>;
export type JobDrawing = components["schemas"]["DrawingOut"];
export type Work = components["schemas"]["WorkOut"];
/** The station that is looked at. */
export type Seen = components["schemas"]["DraftIn"]["station"];
export type Station = components["schemas"]["StationOut"];
export type Sentence = components["schemas"]["SentenceOut"];
export type Slot = components["schemas"]["SlotOut"];
export type Change = components["schemas"]["ChangeIn"];
/** What one press does to lines, layers, pieces or sheets. */
export type Step = components["schemas"]["StepIn"]["step"];
/** What is clicked at Lines, and where on the piece. */
export type Click = Omit<components["schemas"]["ClickIn"], "seen">;
export type Task = components["schemas"]["TaskOut"];
export type Session = components["schemas"]["Session"];
export type Mend = components["schemas"]["MendOut"];
export type TryOut = components["schemas"]["TryOutOut"];
export type Tried = components["schemas"]["TriedOut"];
export type EngravingWay = components["schemas"]["WayOut"];
export type Deviation = components["schemas"]["DeviationOut"];
export type Remembered = components["schemas"]["RememberedOut"];
export type ShopFont = components["schemas"]["FontOut"];
export type Profile = components["schemas"]["ProfileOut"];
export type Run = components["schemas"]["RunOut"];
/** A machine that moves, or may. */
export type Moving = components["schemas"]["MovingOut"];
export type Taken = components["schemas"]["TakenOut"];
export type Thing = components["schemas"]["ThingOut"];
export type Process = components["schemas"]["ProcessOut"];
export type CutCopy = components["schemas"]["CopyOut"];
export type RehearsedSheetPicture = components["schemas"]["SheetPictureOut"];
export type Said = components["schemas"]["SaidOut"];
export type Nested = components["schemas"]["NestOut"];
export type Marks = components["schemas"]["MarksOut"];
/** A place in a machine's axes, mm. */
export type Found = readonly [number, number];
export type RunCommand = components["schemas"]["CommandIn"]["what"];
export type Library = components["schemas"]["LibraryOut"];
export type Field = components["schemas"]["FieldOut"];
/** The values of one record. */
export type Fields = Record<string, unknown>;
export type LooseFile = components["schemas"]["LooseFileOut"];

/** How an artwork is told to be so wide or high: by which extent. */
export type Extent = paths["/api/jobs/{job_id}/artworks/{artwork_id}/sized"]["get"]["parameters"]["query"];

/** What the service says when something cannot be done. */
export class Refusal extends Error {
  constructor(
    readonly code: string,
    message: string,
    readonly whatToDo: string,
    readonly where: string,
    readonly status: number,
  ) {
    super(message);
  }
}

let signedOut = () => {};

/** What to do when a call finds that nobody is signed in any more. */
export function onSignedOut(act: () => void): void {
  signedOut = act;
}

function csrfToken(): string {
  return /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? "";
}

function offline(): Refusal {
  const kept = "Your last accepted change is kept. Start Nibble again.";
  return new Refusal("offline", "Nibble does not answer.", kept, "", 0);
}

async function refusalOf(response: Response): Promise<Refusal> {
  const told = (await response.json().catch(() => ({}))) as Partial<Record<string, string>>;
  return new Refusal(
    told.code ?? "unexpected",
    told.message ?? "Something went wrong on Nibble's side.",
    told.what_to_do ?? "",
    told.where ?? "",
    response.status,
  );
}

const service = createClient<paths>({ fetch: (request) => fetch(request) });
service.use({
  onRequest: ({ request }) => {
    request.headers.set("X-CSRFToken", csrfToken());
    return request;
  },
  onResponse: async ({ response, schemaPath }) => {
    if (response.ok) return;
    if (response.status === 401 && schemaPath !== "/api/session") signedOut();
    throw await refusalOf(response);
  },
  onError: ({ error }) => (error instanceof Refusal ? error : offline()),
});

/** What a call answers; it is refused by an exception. */
async function answer<T>(call: Promise<{ data?: T }>): Promise<T> {
  return (await call).data as T;
}

/** The job as it was answered last: of what follows only the difference is asked for. */
let latest: Job | undefined;
const since = (id: number) => (latest?.id === id ? latest.answer : "");
const remembered = (told: Job) => {
  latest = told;
  return told;
};

/** A job, from a call that may answer with its difference from the last one. */
async function jobOf(id: number, call: Promise<{ data?: Job | Differing }>): Promise<Job> {
  const told = await answer(call);
  if (!("since" in told)) return remembered(told);
  if (latest?.answer !== told.since) return jobOf(id, service.GET("/api/jobs/{job_id}", job(id))); // one came between
  return remembered(changedBy(latest, told.difference) as Job);
}

/** A file that is made when it is asked for, and the name it is given. */
async function download(path: string): Promise<{ name: string; content: Blob }> {
  const response = await fetch(`/api${path}`).catch(() => Promise.reject(offline()));
  if (response.status === 401) signedOut();
  if (!response.ok) throw await refusalOf(response);
  const told = /filename\*?=(?:utf-8'')?"?([^";]+)/i.exec(response.headers.get("Content-Disposition") ?? "");
  return { name: decodeURIComponent(told?.[1] ?? "nibble"), content: await response.blob() };
}

/** The body of a call that sends a file. */
function sending(file: File) {
  const form = new FormData();
  form.append("file", file);
  return { body: { file: "" }, bodySerializer: () => form };
}

const job = (job_id: number) => ({ params: { path: { job_id } } });
const knowing = (job_id: number) => ({ params: { path: { job_id }, query: { since: since(job_id) } } });
const artworkOf = (job_id: number, artwork_id: string) => ({ params: { path: { job_id, artwork_id } } });
const sheetOf = (job_id: number, sheet_id: string) => ({ params: { path: { job_id, sheet_id } } });
const record = (kind: "stock" | "machine", key: string) => ({ params: { path: { kind, key } } });

/** Every call the screens make, by the service's own description. */
export const api = {
  download,
  session: () => answer(service.GET("/api/session")),
  signIn: (name: string, password: string) =>
    answer(service.POST("/api/session", { body: { name, password } })),
  signOut: () => answer(service.DELETE("/api/session")),
  processes: () => answer(service.GET("/api/processes")),
  things: () => answer(service.GET("/api/things")),
  jobs: (search: string, archived: boolean, page: number, order: BoardOrder) =>
    answer(service.GET("/api/jobs", { params: { query: { search, archived, page, order } } })),
  drawing: (key: string) => answer(service.GET("/api/drawings/{key}", { params: { path: { key } } })),
  startJob: (file: File) => answer(service.POST("/api/jobs", sending(file))),
  looseFiles: () => answer(service.GET("/api/jobs/loose-files")),
  startFromLooseFile: (name: string) => answer(service.POST("/api/jobs/loose-files", { body: { name } })),
  job: (id: number) => jobOf(id, service.GET("/api/jobs/{job_id}", knowing(id))),
  change: (id: number, seen: number, changes: Change[]) =>
    jobOf(id, service.POST("/api/jobs/{job_id}/changes", { ...knowing(id), body: { seen, changes } })),
  takeStep: (id: number, seen: number, step: Step) =>
    jobOf(id, service.POST("/api/jobs/{job_id}/steps", { ...knowing(id), body: { seen, step } })),
  click: (job_id: number, layer_id: string, seen: number, click: Click) =>
    answer(
      service.POST("/api/jobs/{job_id}/layers/{layer_id}/clicks", {
        params: { path: { job_id, layer_id } },
        body: { seen, ...click },
      }),
    ),
  replaceArtwork: (job_id: number, artwork_id: string, seen: number, file: File) =>
    answer(
      service.POST("/api/jobs/{job_id}/artworks/{artwork_id}/file", {
        params: { path: { job_id, artwork_id }, query: { seen } },
        ...sending(file),
      }),
    ),
  addArtwork: (job_id: number, piece_id: string, seen: number, file: File) =>
    answer(
      service.POST("/api/jobs/{job_id}/pieces/{piece_id}/artworks", {
        params: { path: { job_id, piece_id }, query: { seen } },
        ...sending(file),
      }),
    ),
  addPiece: (job_id: number, seen: number, file: File) =>
    answer(
      service.POST("/api/jobs/{job_id}/pieces", {
        params: { path: { job_id }, query: { seen } },
        ...sending(file),
      }),
    ),
  addParts: (id: number, seen: number, artwork: string) =>
    answer(
      service.POST("/api/jobs/{job_id}/artworks/{artwork_id}/parts", {
        ...artworkOf(id, artwork),
        body: { seen },
      }),
    ),
  scaleDistances: (id: number, seen: number, factor: number) =>
    answer(service.POST("/api/jobs/{job_id}/scale-distances", { ...job(id), body: { seen, factor } })),
  additions: (job_id: number, layer_id: string) =>
    answer(
      service.GET("/api/jobs/{job_id}/layers/{layer_id}/additions", {
        params: { path: { job_id, layer_id } },
      }),
    ),
  remembered: (id: number) => answer(service.GET("/api/jobs/{job_id}/remembered", job(id))),
  undo: (id: number, seen: number) =>
    jobOf(id, service.POST("/api/jobs/{job_id}/undo", { ...knowing(id), body: { seen } })),
  redo: (id: number, seen: number) =>
    jobOf(id, service.POST("/api/jobs/{job_id}/redo", { ...knowing(id), body: { seen } })),
  duplicate: (id: number) => answer(service.POST("/api/jobs/{job_id}/duplicate", job(id))),
  tick: (id: number, step: string, done: boolean) =>
    answer(service.POST("/api/jobs/{job_id}/done", { ...job(id), body: { step, done } })),
  archive: (id: number, archived: boolean) =>
    answer(service.POST("/api/jobs/{job_id}/archive", { ...job(id), body: { archived } })),

  work: (id: number) => answer(service.GET("/api/jobs/{job_id}/work", job(id))),
  stopWork: (id: number) => answer(service.POST("/api/jobs/{job_id}/work/stop", job(id))),
  preview: (id: number, seen: number, changes: Change[], station: Seen) =>
    answer(service.POST("/api/jobs/{job_id}/preview", { ...job(id), body: { seen, changes, station } })),
  deviation: (id: number, artwork: string) =>
    answer(service.GET("/api/jobs/{job_id}/artworks/{artwork_id}/deviation", artworkOf(id, artwork))),
  sized: (job_id: number, artwork_id: string, extent: Extent) =>
    answer(
      service.GET("/api/jobs/{job_id}/artworks/{artwork_id}/sized", {
        params: { path: { job_id, artwork_id }, query: extent },
      }),
    ),
  tryOuts: (id: number, artwork: string) =>
    answer(service.GET("/api/jobs/{job_id}/artworks/{artwork_id}/try-outs", artworkOf(id, artwork))),
  tryOut: (id: number, artwork: string, changes: readonly Change[]) =>
    answer(
      service.POST("/api/jobs/{job_id}/artworks/{artwork_id}/try-outs", {
        ...artworkOf(id, artwork),
        body: { changes: [...changes] },
      }),
    ),
  engravingWays: (job_id: number, line: string) =>
    answer(
      service.GET("/api/jobs/{job_id}/engraving-ways", { params: { path: { job_id }, query: { line } } }),
    ),
  engravingWay: (id: number, line: string, changes: readonly Change[]) =>
    answer(
      service.POST("/api/jobs/{job_id}/engraving-ways", {
        ...job(id),
        body: { line, changes: [...changes] },
      }),
    ),

  nest: (id: number, sheet: string, seconds: number) =>
    answer(
      service.POST("/api/jobs/{job_id}/sheets/{sheet_id}/nest", {
        ...sheetOf(id, sheet),
        body: { seconds },
      }),
    ),
  takeNest: (id: number, seen: number, name: string) =>
    jobOf(
      id,
      service.POST("/api/jobs/{job_id}/nests/{name}/take", {
        params: { path: { job_id: id, name }, query: { since: since(id) } },
        body: { seen },
      }),
    ),
  rehearse: (id: number, sheet: string, turn: number, panel: number) =>
    answer(
      service.POST("/api/jobs/{job_id}/sheets/{sheet_id}/rehearsal", {
        ...sheetOf(id, sheet),
        body: { turn, panel },
      }),
    ),
  rehearsedCopy: (id: number, sheet: string, turn: number, panel: number, copy: number) =>
    answer(
      service.POST("/api/jobs/{job_id}/sheets/{sheet_id}/rehearsal/copy", {
        ...sheetOf(id, sheet),
        body: { turn, panel, copy_number: copy },
      }),
    ),
  rehearseOften: (id: number, sheet: string, draws: number, panel: number) =>
    answer(
      service.POST("/api/jobs/{job_id}/sheets/{sheet_id}/rehearsals", {
        ...sheetOf(id, sheet),
        body: { draws, panel },
      }),
    ),
  learnErrors: (id: number, sheet: string, readings: number[], across: number | null, along: number | null) =>
    answer(
      service.POST("/api/jobs/{job_id}/sheets/{sheet_id}/errors", {
        ...sheetOf(id, sheet),
        body: { readings, across, along },
      }),
    ),
  learnTurn: (id: number, sheet: string, gap: number, turn: string) =>
    answer(
      service.POST("/api/jobs/{job_id}/sheets/{sheet_id}/test-turn", {
        ...sheetOf(id, sheet),
        body: { gap, turn },
      }),
    ),
  feedWrong: (id: number, sheet: string, panel: number) =>
    answer(
      service.POST("/api/jobs/{job_id}/sheets/{sheet_id}/fed-wrong", {
        ...sheetOf(id, sheet),
        body: { panel },
      }),
    ),
  stopRehearsals: (id: number) => answer(service.POST("/api/jobs/{job_id}/rehearsals/stop", job(id))),
  stopNest: (id: number) => answer(service.POST("/api/jobs/{job_id}/nest/stop", job(id))),
  oneMore: (id: number, sheet: string, layer: string) =>
    answer(
      service.POST("/api/jobs/{job_id}/sheets/{sheet_id}/one-more", {
        ...sheetOf(id, sheet),
        body: { layer },
      }),
    ),
  bring: (id: number, seen: number, sheet: string, from: number, piece: string) =>
    answer(
      service.POST("/api/jobs/{job_id}/sheets/{sheet_id}/bring", {
        ...sheetOf(id, sheet),
        body: { seen, job: from, piece },
      }),
    ),
  bringAgain: (job_id: number, seen: number, piece_id: string) =>
    answer(
      service.POST("/api/jobs/{job_id}/pieces/{piece_id}/bring-again", {
        params: { path: { job_id, piece_id } },
        body: { seen },
      }),
    ),
  taken: (id: number) => answer(service.GET("/api/jobs/{job_id}/taken", job(id))),
  take: (id: number, sheet: string) =>
    answer(service.POST("/api/jobs/{job_id}/sheets/{sheet_id}/take", sheetOf(id, sheet))),

  moves: (id: number, sheet: string) =>
    answer(
      service.GET("/api/jobs/{job_id}/sheets/{sheet_id}/moves", {
        ...sheetOf(id, sheet),
        parseAs: "arrayBuffer",
      }),
    ),
  carved: (id: number, sheet: string, share: number) =>
    answer(
      service.GET("/api/jobs/{job_id}/sheets/{sheet_id}/carved", {
        params: { path: { job_id: id, sheet_id: sheet }, query: { share } },
        parseAs: "arrayBuffer",
      }),
    ),
  run: (id: number, sheet: string) =>
    answer(service.GET("/api/jobs/{job_id}/sheets/{sheet_id}/run", sheetOf(id, sheet))),
  moving: () => answer(service.GET("/api/moving")),
  marks: (id: number, sheet: string, found: readonly Found[]) =>
    answer(
      service.POST("/api/jobs/{job_id}/sheets/{sheet_id}/marks", {
        ...sheetOf(id, sheet),
        body: { found: places(found) },
      }),
    ),
  camera: (id: number, sheet: string) =>
    answer(service.POST("/api/jobs/{job_id}/sheets/{sheet_id}/camera", sheetOf(id, sheet))),
  beginRun: (id: number, sheet: string, found: readonly Found[]) =>
    answer(
      service.POST("/api/jobs/{job_id}/sheets/{sheet_id}/run", {
        ...sheetOf(id, sheet),
        body: { found: places(found) },
      }),
    ),
  commandRun: (id: number, sheet: string, what: RunCommand, length = 20) =>
    answer(
      service.POST("/api/jobs/{job_id}/sheets/{sheet_id}/run/command", {
        ...sheetOf(id, sheet),
        body: { what, length },
      }),
    ),

  fonts: () => answer(service.GET("/api/fonts")),
  addFont: (file: File) => answer(service.POST("/api/fonts", sending(file))),
  addProfile: (file: File) => answer(service.POST("/api/profiles", sending(file))),
  library: () => answer(service.GET("/api/library")),
  keepRecord: (kind: "stock" | "machine", key: string, value: Fields) =>
    key
      ? answer(service.PUT("/api/library/{kind}/{key}", { ...record(kind, key), body: { value } }))
      : answer(service.POST("/api/library/{kind}", { params: { path: { kind } }, body: { value } })),
  removeRecord: (kind: "stock" | "machine", key: string) =>
    answer(service.DELETE("/api/library/{kind}/{key}", record(kind, key))),
  wall: (value: Fields) => answer(service.POST("/api/library/wall", { body: { value } })),
  keepRates: (value: Fields) => answer(service.PUT("/api/library/rates", { body: { value } })),
  keepSettings: (machine: string, stock: string, settings: readonly Fields[]) =>
    answer(
      service.PUT("/api/library/settings/{machine}/{stock}", {
        params: { path: { machine, stock } },
        // a form's values, which the service checks
        body: { settings: settings as Library["settings"][number]["settings"] },
      }),
    ),

  makeFiles: (id: number) => answer(service.POST("/api/jobs/{job_id}/files", job(id))),
  newestFiles: (id: number) => answer(service.GET("/api/jobs/{job_id}/files", job(id))),
  task: (task_id: number) => answer(service.GET("/api/tasks/{task_id}", { params: { path: { task_id } } })),
  stopTask: (task_id: number) =>
    answer(service.POST("/api/tasks/{task_id}/stop", { params: { path: { task_id } } })),
};

const places = (found: readonly Found[]): [number, number][] => found.map(([x, y]) => [x, y]);
