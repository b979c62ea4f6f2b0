import { chakra } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useEffect } from "react";
import { Navigate, Route, Routes, useLocation } from "react-router";
import { api, onSignedOut } from "./api/client";
import { SeveralFiles } from "./board/SeveralFiles";
import { useIncoming } from "./board/useIncoming";
import { knowProcesses } from "./theme/processes";
import { knowThings } from "./theme/things";
import { Mishap } from "./ui/Mishap";
import { MovingMachines } from "./ui/MovingMachines";
import { NoticeList } from "./ui/NoticeList";
import { tell } from "./ui/notices";
import { SignIn } from "./ui/SignIn";

// each screen is fetched when it is first gone to
const Board = lazy(() => import("./board/Board").then((module) => ({ default: module.Board })));
const LibraryPage = lazy(() =>
  import("./library/LibraryPage").then((module) => ({ default: module.LibraryPage })),
);
const TicketPage = lazy(() =>
  import("./ticket/TicketPage").then((module) => ({ default: module.TicketPage })),
);
const jobScreen = () => import("./job/JobScreen").then((module) => ({ default: module.JobScreen }));
const JobScreen = lazy(jobScreen);
// who opens a job by its address waits for nothing else first
if (location.pathname.startsWith("/jobs/")) void jobScreen();

/** The whole application: signed-out people see the sign-in, others the board and the jobs. */
export function App() {
  const client = useQueryClient();
  const place = useLocation();
  const session = useQuery({ queryKey: ["session"], queryFn: api.session });
  // whoever is signed out in the middle of something signs in again and goes on where they were
  useEffect(() => {
    onSignedOut(() => void client.invalidateQueries({ queryKey: ["session"] }));
  }, [client]);
  const processes = useQuery({
    queryKey: ["processes"],
    queryFn: () =>
      Promise.all([api.processes(), api.things()]).then(([table, things]) => {
        knowProcesses(table);
        knowThings(things);
        return table;
      }),
    enabled: session.data?.signed_in ?? false,
    staleTime: Number.POSITIVE_INFINITY,
  });
  if (session.isPending || processes.isLoading) return null;
  if (!session.data?.signed_in)
    return (
      <>
        <SignIn
          onSignIn={(name, password) =>
            api.signIn(name, password).then((known) => client.setQueryData(["session"], known), tell)
          }
        />
        <NoticeList />
      </>
    );
  return (
    <>
      <Incoming />
      <MovingMachines />
      <Mishap key={place.pathname}>
        <Suspense fallback={null}>
          <Routes>
            <Route path="/" element={<Board />} />
            <Route path="/library" element={<LibraryPage />} />
            <Route path="/jobs/:id" element={<JobByAddress />} />
            <Route path="/jobs/:id/ticket" element={<TicketPage />} />
            <Route path="*" element={<Navigate to="/" replace />} />
          </Routes>
        </Suspense>
      </Mishap>
      <NoticeList />
    </>
  );
}

/** A job's screen starts afresh for every job. */
function JobByAddress() {
  return <JobScreen key={useLocation().pathname} />;
}

/** Pictures dropped or pasted on any screen start a job. */
function Incoming() {
  const { over, taking, words, startSeveral } = useIncoming();
  if (!over && !taking) return <SeveralFiles onStart={startSeveral} />;
  return (
    <chakra.div
      role="status"
      position="fixed"
      inset="0"
      zIndex={50}
      display="grid"
      placeItems="center"
      pointerEvents="none"
      background="rgba(237,242,237,.82)"
      border="4px dashed {colors.marigold}"
      fontFamily="condensed"
      fontWeight={600}
      fontSize="30px"
    >
      {words}
    </chakra.div>
  );
}
