import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { useNavigate } from "react-router";
import { create } from "zustand";
import { api } from "../api/client";
import { tell, tellOf, useNotices } from "../ui/notices";

/** Starting a job with a client's file or one of the files to try, and opening it. */
export function useStartJob(): {
  taking: boolean;
  /** One file is a job; of several it is asked whether they are one. */
  start: (files: FileList | readonly File[]) => void;
  startSeveral: (how: { files: readonly File[]; together: boolean }) => void;
  tryFile: (name: string) => void;
} {
  const navigate = useNavigate();
  const client = useQueryClient();
  const opened = ({ id }: { id: number }) => {
    void client.invalidateQueries({ queryKey: ["jobs"] });
    void navigate(`/jobs/${id}`);
  };
  const upload = useMutation({
    mutationFn: api.startJob,
    onSuccess: opened,
    onError: tell,
  });
  const loose = useMutation({
    mutationFn: api.startFromLooseFile,
    onSuccess: opened,
    onError: tell,
  });
  // one after the other; those that cannot be taken are told and the rest goes on
  const several = useMutation({
    mutationFn: async ({ files, together }: { files: readonly File[]; together: boolean }) => {
      const job = { id: 0, revision: 1 };
      let started = 0;
      for (const file of files)
        try {
          if (together && job.id)
            job.revision = (await api.addPiece(job.id, job.revision, file)).revision.number;
          else job.id = (await api.startJob(file)).id;
          started += 1;
        } catch (error) {
          tellOf(file.name, error);
        }
      return { job: together && started > 0 ? job : null, started, files: files.length };
    },
    onSuccess: ({ job, started, files }) => {
      if (job) {
        opened(job);
        return;
      }
      void client.invalidateQueries({ queryKey: ["jobs"] });
      void navigate("/");
      useNotices.getState().say(`${started} of ${files} files have become jobs. Each lies on the board.`);
    },
  });
  const start = (files: FileList | readonly File[]) => {
    const all = [...files];
    if (all.length > 1) useSeveral.getState().ask(all);
    else if (all[0]) upload.mutate(all[0]);
  };
  return {
    taking: upload.isPending || several.isPending || loose.isPending,
    start,
    startSeveral: several.mutate,
    tryFile: loose.mutate,
  };
}

/** Files that came together, until it is said whether they are one job or several. */
export const useSeveral = create<{ files: readonly File[]; ask: (files: readonly File[]) => void }>(
  (set) => ({ files: [], ask: (files) => set({ files }) }),
);

type Taker = (files: File[]) => void;
let taker: Taker | null = null;

/** As long as it is shown, a screen is asked what becomes of files that are dropped or pasted. */
export function useTakesFiles(take: Taker): void {
  useEffect(() => {
    taker = take;
    return () => {
      taker = null;
    };
  }, [take]);
}

/** Pictures dropped or pasted anywhere start a job, unless the screen takes them; used once, by the whole application. */
export function useIncoming(): {
  over: boolean;
  taking: boolean;
  words: string;
  startSeveral: (how: { files: readonly File[]; together: boolean }) => void;
} {
  const { taking, start: begin, startSeveral } = useStartJob();
  const start = (files: FileList | readonly File[]) => {
    if (taker) taker([...files]);
    else begin(files);
  };
  const [over, setOver] = useState(false);

  useEffect(() => {
    const carriesFiles = (event: DragEvent) => event.dataTransfer?.types.includes("Files") ?? false;
    const onOver = (event: DragEvent) => {
      if (!carriesFiles(event)) return;
      event.preventDefault();
      setOver(true);
    };
    const onLeave = (event: DragEvent) => {
      if (event.relatedTarget === null) setOver(false);
    };
    const onDrop = (event: DragEvent) => {
      if (!carriesFiles(event)) return;
      event.preventDefault();
      setOver(false);
      start(event.dataTransfer?.files ?? []);
    };
    const onPaste = (event: ClipboardEvent) => {
      const files = [...(event.clipboardData?.files ?? [])];
      if (files.length && !(event.target instanceof HTMLInputElement)) start(files);
    };
    window.addEventListener("dragover", onOver);
    window.addEventListener("dragleave", onLeave);
    window.addEventListener("drop", onDrop);
    window.addEventListener("paste", onPaste);
    return () => {
      window.removeEventListener("dragover", onOver);
      window.removeEventListener("dragleave", onLeave);
      window.removeEventListener("drop", onDrop);
      window.removeEventListener("paste", onPaste);
    };
  });
  const words = taking
    ? "Looking at the file…"
    : taker
      ? "Let go to bring it in"
      : "Let go to start a job with it";
  return { over, taking, words, startSeveral };
}
