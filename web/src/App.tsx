import { chakra } from "@chakra-ui/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { Navigate, Route, Routes, useLocation } from "react-router";
import { api } from "./api/client";
import { Board } from "./board/Board";
import { useIncoming } from "./board/useIncoming";
import { JobScreen } from "./job/JobScreen";
import { knowProcesses } from "./theme/processes";
import { NoticeList } from "./ui/NoticeList";
import { tell } from "./ui/notices";
import { SignIn } from "./ui/SignIn";

/** The whole application: signed-out people see the sign-in, others the board and the jobs. */
export function App() {
  const client = useQueryClient();
  const session = useQuery({ queryKey: ["session"], queryFn: api.session });
  const processes = useQuery({
    queryKey: ["processes"],
    queryFn: () =>
      api.processes().then((table) => {
        knowProcesses(table);
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
      <Routes>
        <Route path="/" element={<Board />} />
        <Route path="/jobs/:id" element={<JobByAddress />} />
        <Route path="*" element={<Navigate to="/" replace />} />
      </Routes>
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
  const { over, taking } = useIncoming();
  if (!over && !taking) return null;
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
      {taking ? "Looking at the file…" : "Let go to start a job with it"}
    </chakra.div>
  );
}
