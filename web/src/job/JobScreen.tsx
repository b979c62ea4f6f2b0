import { chakra } from "@chakra-ui/react";
import { useEffect, useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { type Change, Refusal } from "../api/client";
import { useStartJob, useTakesFiles } from "../board/useIncoming";
import type { Place } from "../engine/camera";
import { Button } from "../ui/Button";
import { KeyList, type Keys } from "../ui/KeyList";
import { ArtworkChooser, ClientFiles, LineFiles, OutlineFiles } from "./ArtworkActions";
import { ComparePieces } from "./ComparePieces";
import { DroppedFiles } from "./DroppedFiles";
import { EngravingWays } from "./EngravingWays";
import { FilesPanel } from "./FilesPanel";
import { JobHeader } from "./JobHeader";
import { PieceList } from "./PieceList";
import { Progress } from "./Progress";
import { STATIONS, type StationKey } from "./stations";
import { TableView } from "./TableView";
import { TicketPanel } from "./TicketPanel";
import { ToolRow } from "./ToolRow";
import { Track } from "./Track";
import { TryOuts } from "./TryOuts";
import { heldLayer, type Ticket } from "./ticket";
import { CHOOSE, type Tool } from "./tools";
import { alikeChange, type Reach, touchUpChange } from "./touchUps";
import { useCopies } from "./useCopies";
import { useJobDesk } from "./useJobDesk";

const USUAL_BRUSH = 4;

const KEYS: Keys = [
  ["1 … 6", "go to a station"],
  ["Ctrl Z, Ctrl Shift Z", "undo, redo; as far back as the job goes"],
  ["?", "this list"],
  ["On the table", ""],
  ["wheel, + −", "zoom at the pointer"],
  ["Space or middle button", "hold and drag to pan"],
  ["0", "fit all in view"],
  ["arrows, Shift arrows", "move the cursor by 1 mm, 10 mm"],
  ["n, Shift p", "next and previous region"],
  ["Enter", "click what is under the cursor"],
  ["a, o, p, d", "as made, outlines, over the artwork, deviation"],
  ["m; Enter , .", "at Machine: moves of a beam; play or pause, one path back, one path on"],
  ["f, w, h, c, t, i", "at Lines: drop-out, weak parts, weeding, worst case, on the thing, plate"],
  ["click, drag, Shift", "at Sheet: take copies in hand, move them, take more"],
  ["arrows, r, k, Delete", "at Sheet: move, turn, lock, throw off what is in hand; n the next"],
  ["[ ]", "brush narrower, wider"],
  ["Enter, arrows, Enter", "begin, draw and end a stroke with a tool"],
  ["Delete, Insert", "take the node in hand out, add one after it"],
  ["Esc", "give up what is being drawn, then the tool"],
  ["l", "hold for the loupe"],
  ["b", "hold to see it before the last change"],
  ["u", "mm or inches"],
  ["In a slot", ""],
  ["arrows", "step; Shift coarser, Alt finer"],
  ["Enter, Esc", "take the value, restore it"],
];

/** One job: track of stations, table and ticket. */
export function JobScreen() {
  const id = Number(useParams().id);
  const desk = useJobDesk(id);
  const [search, setSearch] = useSearchParams();
  const [keys, setKeys] = useState(false);
  const [tool, setTool] = useState<Tool>(CHOOSE);
  const [brush, setBrush] = useState(USUAL_BRUSH);
  const [trying, setTrying] = useState(false);
  const [reach, setReach] = useState<Reach>("only this");
  const [pieceId, setPieceId] = useState("");
  const [dropped, setDropped] = useState<readonly File[]>([]);
  const { start } = useStartJob();
  useTakesFiles(setDropped);
  const [artworkId, setArtworkId] = useState("");
  const [held, setHeld] = useState("");
  const [place, setPlace] = useState<Place | null>(null);
  const [ways, setWays] = useState("");
  const [comparing, setComparing] = useState(false);
  const asked = search.get("station") as StationKey | null;
  const station = STATIONS.some(({ key }) => key === asked) ? (asked as StationKey) : "artwork";
  const go = (next: StationKey) => {
    setTool(CHOOSE);
    setReach("only this");
    setTrying(false);
    setWays("");
    setPlace(null);
    setSearch({ station: next }, { replace: true });
  };

  const ticket = desk.job?.ticket as Ticket | undefined;
  const hand = useCopies(ticket, desk.work, desk.keeping, (changes) => desk.change(...changes));
  useEffect(() => {
    document.title = ticket ? `${ticket.name}, Nibble` : "Nibble";
  }, [ticket]);

  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const typing = event.target instanceof HTMLInputElement;
      if ((event.ctrlKey || event.metaKey) && !typing) {
        const key = event.key.toLowerCase();
        if (key === "z" && !event.shiftKey) desk.undo();
        else if ((key === "z" && event.shiftKey) || key === "y") desk.redo();
        else return;
        event.preventDefault();
        return;
      }
      if (typing || event.altKey || event.ctrlKey || event.metaKey) return;
      const slot = (event.target as HTMLElement | null)?.getAttribute?.("role") === "spinbutton";
      if (event.key === "?") setKeys(true);
      else if (/^[1-6]$/.test(event.key) && !slot && !event.defaultPrevented)
        go(STATIONS[Number(event.key) - 1]?.key ?? "artwork");
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  });

  if (desk.failed && !desk.job)
    return (
      <chakra.main padding="60px" maxWidth="560px">
        <chakra.h1 fontFamily="condensed" fontWeight={700} fontSize="28px">
          This job cannot be opened.
        </chakra.h1>
        <p>
          {desk.failed.message} {desk.failed instanceof Refusal && desk.failed.whatToDo}
        </p>
        <chakra.p marginTop="16px" textDecoration="underline">
          <Link to="/">Back to the board</Link>
        </chakra.p>
      </chakra.main>
    );
  if (!desk.job || !ticket) return <Waiting />;
  const work = desk.work;
  const piece = ticket.pieces.find((one) => one.id === pieceId) ?? ticket.pieces[0];
  const layer = piece?.layers.find((one) => heldLayer(held) === one.id) ?? piece?.layers[0];
  const ofPiece = [
    ...new Set(piece?.elements.flatMap((one) => (one.kind === "artwork" ? [one.artwork] : []))),
  ];
  const first = ofPiece.includes(artworkId) ? artworkId : ofPiece[0];
  const artwork = ticket.artworks.find((one) => one.id === first);
  const toned = work?.artworks[first ?? ""]?.kind === "photo" || artwork?.clean.tones !== "none";
  const ownPaths = artwork?.trace.mode === "paths";
  const offersTryOuts =
    (station === "trace" && work !== undefined && !ownPaths) || (station === "clean" && toned);
  const blocked = desk.final?.stations.some((one) => one.state === "blocked") ?? false;
  return (
    <chakra.div height="100vh" display="flex" flexDirection="column" minWidth="1000px">
      <JobHeader desk={desk} ticket={ticket} onKeys={() => setKeys(true)} />
      <Track
        piece={piece}
        artwork={first ?? ""}
        ticket={ticket}
        work={desk.final}
        settling={desk.settling}
        current={station}
        onGo={go}
      />
      <chakra.main display="flex" flex="1" minHeight="0">
        {work ? (
          <>
            <PieceList
              ticket={ticket}
              work={work}
              current={piece?.id ?? ""}
              onChoose={(id) => {
                setPieceId(id);
                setHeld("");
              }}
              onChanges={(changes) => desk.change(...changes)}
              onCompare={() => setComparing(true)}
            />
            <chakra.div position="relative" flex="1" minWidth="0" display="flex">
              <TableView
                jobId={id}
                revision={desk.job.revision.number}
                tool={tool}
                brush={brush}
                piece={piece}
                artwork={first ?? ""}
                held={held}
                hand={hand}
                place={place}
                onTool={setTool}
                onBrush={(width) => setBrush(Math.min(60, Math.max(0.2, width)))}
                onChanges={(changes: Change[]) => desk.change(...changes)}
                onTry={desk.tryOn}
                station={station}
                ticket={ticket}
                work={work}
                before={desk.before}
                settling={desk.settling}
                onRegion={(artwork, shape) => {
                  const touchUps = ticket.artworks.find((one) => one.id === artwork)?.touch_ups ?? [];
                  desk.change(
                    reach === "only this"
                      ? touchUpChange(artwork, shape, touchUps)
                      : alikeChange(artwork, shape, reach),
                  );
                }}
              />
              <Progress desk={desk} />
              {comparing && <ComparePieces ticket={ticket} work={work} onClose={() => setComparing(false)} />}
              {ways && (
                <EngravingWays
                  jobId={id}
                  revision={desk.job.revision.number}
                  line={ways}
                  onTake={(changes) => {
                    setWays("");
                    desk.change(...changes);
                  }}
                  onClose={() => setWays("")}
                />
              )}
              {trying && first && (
                <TryOuts
                  jobId={id}
                  revision={desk.job.revision.number}
                  artwork={first}
                  onTake={(changes) => {
                    setTrying(false);
                    desk.change(...changes);
                  }}
                  onClose={() => setTrying(false)}
                />
              )}
            </chakra.div>
            <TicketPanel
              desk={desk}
              station={station}
              ticket={ticket}
              sentences={desk.job.sentences}
              work={work}
              piece={piece}
              artwork={first ?? ""}
              held={held}
              onHold={setHeld}
              onWays={setWays}
              onShow={setPlace}
              hand={hand}
              tools={
                <ToolRow
                  station={station}
                  tool={tool}
                  brush={brush}
                  reach={reach}
                  onTool={setTool}
                  onBrush={setBrush}
                  onReach={setReach}
                />
              }
            >
              {ofPiece.length > 1 && ["artwork", "clean", "trace"].includes(station) && (
                <ArtworkChooser ticket={ticket} ids={ofPiece} current={first ?? ""} onChoose={setArtworkId} />
              )}
              {offersTryOuts && (
                <chakra.div padding="8px 20px 10px 26px" borderTop="1px solid {colors.hair.soft}">
                  <Button type="button" onClick={() => setTrying(true)}>
                    Lay try-outs side by side
                  </Button>
                </chakra.div>
              )}
              {station === "machine" && (
                <FilesPanel
                  jobId={id}
                  revision={desk.job.revision.number}
                  blocked={blocked}
                  ticket={ticket}
                  onChanges={(changes) => desk.change(...changes)}
                  sheets={ticket.sheets.map((one) => ({
                    id: one.id,
                    name: work.sheets[one.id]?.name ?? "",
                    sheet: one,
                    minutes: work.sheets[one.id]?.minutes ?? null,
                  }))}
                />
              )}
              {station === "trace" && <OutlineFiles jobId={id} ticket={ticket} />}
              {station === "lines" && layer && <LineFiles jobId={id} layer={layer} />}
              {station === "artwork" && <ClientFiles jobId={id} ticket={ticket} onReplace={desk.replace} />}
            </TicketPanel>
          </>
        ) : (
          <chakra.div position="relative" flex="1" display="flex">
            <Waiting />
            <Progress desk={desk} />
          </chakra.div>
        )}
      </chakra.main>
      {keys && <KeyList keys={KEYS} onClose={() => setKeys(false)} />}
      {dropped.length > 0 && (
        <DroppedFiles
          files={dropped}
          piece={piece?.name ?? ""}
          onHere={() => {
            for (const file of dropped) if (piece) desk.addArtwork(piece.id, file);
            setDropped([]);
          }}
          onNew={() => {
            start(dropped);
            setDropped([]);
          }}
          onClose={() => setDropped([])}
        />
      )}
    </chakra.div>
  );
}

function Waiting() {
  return (
    <chakra.div
      flex="1"
      display="grid"
      placeItems="center"
      background="mat"
      color="ink.soft"
      minHeight="200px"
      role="status"
    >
      Getting the job out…
    </chakra.div>
  );
}
