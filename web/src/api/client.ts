import type { components } from "./types.gen";

export type Job = components["schemas"]["JobOut"];
export type Card = components["schemas"]["CardOut"];
export type BoardPage = components["schemas"]["BoardOut"];
export type JobDrawing = components["schemas"]["DrawingOut"];
export type Work = components["schemas"]["WorkOut"];
export type Station = components["schemas"]["StationOut"];
export type Sentence = components["schemas"]["SentenceOut"];
export type Slot = components["schemas"]["SlotOut"];
export type Change = components["schemas"]["ChangeIn"];
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
export type Taken = components["schemas"]["TakenOut"];
export type Thing = components["schemas"]["ThingOut"];
export type Process = components["schemas"]["ProcessOut"];
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

async function call<T>(method: string, path: string, body?: unknown): Promise<T> {
  return (await (await answered(method, path, body)).json()) as T;
}

async function answered(method: string, path: string, body?: unknown): Promise<Response> {
  const form = body instanceof FormData;
  const headers: Record<string, string> = { "X-CSRFToken": csrfToken() };
  if (body !== undefined && !form) headers["Content-Type"] = "application/json";
  let response: Response;
  try {
    response = await fetch(`/api${path}`, {
      method,
      headers,
      body: body === undefined ? null : form ? body : JSON.stringify(body),
    });
  } catch {
    throw new Refusal(
      "offline",
      "Nibble does not answer.",
      "Your last accepted change is kept. Start Nibble again.",
      "",
      0,
    );
  }
  if (response.ok) return response;
  if (response.status === 401 && path !== "/session") signedOut();
  const told = (await response.json().catch(() => ({}))) as Partial<Record<string, string>>;
  throw new Refusal(
    told.code ?? "unexpected",
    told.message ?? "Something went wrong on Nibble's side.",
    told.what_to_do ?? "",
    told.where ?? "",
    response.status,
  );
}

/** A file that is made when it is asked for, and the name it is given. */
async function download(path: string): Promise<{ name: string; content: Blob }> {
  const response = await answered("GET", path);
  const told = /filename\*?=(?:utf-8'')?"?([^";]+)/i.exec(response.headers.get("Content-Disposition") ?? "");
  return { name: decodeURIComponent(told?.[1] ?? "nibble"), content: await response.blob() };
}

const get = <T>(path: string) => call<T>("GET", path);
const post = <T>(path: string, body: unknown = {}) => call<T>("POST", path, body);

/** Every call the screens make. */
export const api = {
  download,
  session: () => get<Session>("/session"),
  signIn: (name: string, password: string) => post<Session>("/session", { name, password }),
  processes: () => get<Process[]>("/processes"),
  things: () => get<Thing[]>("/things"),
  signOut: () => call<Session>("DELETE", "/session"),
  jobs: (search: string, archived: boolean, page: number) =>
    get<BoardPage>(`/jobs?search=${encodeURIComponent(search)}&archived=${archived}&page=${page}`),
  drawing: (key: string) => get<JobDrawing>(`/drawings/${key}`),
  startJob: (file: File) => {
    const form = new FormData();
    form.append("file", file);
    return post<{ id: number }>("/jobs", form);
  },
  looseFiles: () => get<LooseFile[]>("/jobs/loose-files"),
  startFromLooseFile: (name: string) => post<{ id: number }>("/jobs/loose-files", { name }),
  job: (id: number) => get<Job>(`/jobs/${id}`),
  change: (id: number, seen: number, changes: Change[]) =>
    post<Job>(`/jobs/${id}/changes`, { seen, changes }),
  replaceArtwork: (id: number, artwork: string, seen: number, file: File) => {
    const form = new FormData();
    form.append("file", file);
    return post<Job>(`/jobs/${id}/artworks/${artwork}/file?seen=${seen}`, form);
  },
  addArtwork: (id: number, piece: string, seen: number, file: File) => {
    const form = new FormData();
    form.append("file", file);
    return post<Job>(`/jobs/${id}/pieces/${piece}/artworks?seen=${seen}`, form);
  },
  scaleDistances: (id: number, seen: number, factor: number) =>
    post<Job>(`/jobs/${id}/scale-distances`, { seen, factor }),
  remembered: (id: number) => get<Remembered[]>(`/jobs/${id}/remembered`),
  moves: async (id: number, sheet: string) =>
    (await answered("GET", `/jobs/${id}/sheets/${sheet}/moves`)).arrayBuffer(),
  run: (id: number, sheet: string) => get<Run | null>(`/jobs/${id}/sheets/${sheet}/run`),
  marks: (id: number, sheet: string, found: readonly Found[]) =>
    post<Marks>(`/jobs/${id}/sheets/${sheet}/marks`, { found }),
  camera: (id: number, sheet: string) => post<Marks>(`/jobs/${id}/sheets/${sheet}/camera`),
  beginRun: (id: number, sheet: string, found: readonly Found[]) =>
    post<Run>(`/jobs/${id}/sheets/${sheet}/run`, { found }),
  commandRun: (id: number, sheet: string, what: RunCommand, length = 20) =>
    post<Run>(`/jobs/${id}/sheets/${sheet}/run/command`, { what, length }),
  taken: (id: number) => get<Taken[]>(`/jobs/${id}/taken`),
  take: (id: number, sheet: string) => post<Taken>(`/jobs/${id}/sheets/${sheet}/take`),
  addProfile: (file: File) => {
    const form = new FormData();
    form.append("file", file);
    return post<Profile>("/profiles", form);
  },
  fonts: () => get<ShopFont[]>("/fonts"),
  addFont: (file: File) => {
    const form = new FormData();
    form.append("file", file);
    return post<ShopFont>("/fonts", form);
  },
  tryOuts: (id: number, artwork: string) => get<TryOut[]>(`/jobs/${id}/artworks/${artwork}/try-outs`),
  sized: (id: number, artwork: string, what: string, side: string, wanted: number) =>
    get<{ changes: Change[] }>(
      `/jobs/${id}/artworks/${artwork}/sized?what=${what}&side=${side}&wanted=${wanted}`,
    ),
  tryOut: (id: number, artwork: string, changes: readonly Change[]) =>
    post<Tried>(`/jobs/${id}/artworks/${artwork}/try-outs`, { changes }),
  engravingWays: (id: number, line: string) =>
    get<TryOut[]>(`/jobs/${id}/engraving-ways?line=${encodeURIComponent(line)}`),
  engravingWay: (id: number, line: string, changes: readonly Change[]) =>
    post<EngravingWay>(`/jobs/${id}/engraving-ways`, { line, changes }),
  deviation: (id: number, artwork: string) => get<Deviation>(`/jobs/${id}/artworks/${artwork}/deviation`),
  undo: (id: number, seen: number) => post<Job>(`/jobs/${id}/undo`, { seen }),
  redo: (id: number, seen: number) => post<Job>(`/jobs/${id}/redo`, { seen }),
  duplicate: (id: number) => post<{ id: number }>(`/jobs/${id}/duplicate`),
  bring: (id: number, seen: number, sheet: string, job: number, piece: string) =>
    post<Job>(`/jobs/${id}/sheets/${sheet}/bring`, { seen, job, piece }),
  bringAgain: (id: number, seen: number, piece: string) =>
    post<Job>(`/jobs/${id}/pieces/${piece}/bring-again`, { seen }),
  tick: (id: number, step: string, done: boolean) => post<Card>(`/jobs/${id}/done`, { step, done }),
  archive: (id: number, archived: boolean) => post<Card>(`/jobs/${id}/archive`, { archived }),
  work: (id: number) => get<Work>(`/jobs/${id}/work`),
  stopWork: (id: number) => post<{ stopped: boolean }>(`/jobs/${id}/work/stop`),
  preview: (id: number, seen: number, changes: Change[]) =>
    post<Work>(`/jobs/${id}/preview`, { seen, changes }),
  nest: (id: number, sheet: string, seconds: number) =>
    post<Nested>(`/jobs/${id}/sheets/${sheet}/nest`, { seconds }),
  stopNest: (id: number) => post<{ stopped: boolean }>(`/jobs/${id}/nest/stop`),
  oneMore: (id: number, sheet: string, layer: string) =>
    post<Nested>(`/jobs/${id}/sheets/${sheet}/one-more`, { layer }),
  library: () => get<Library>("/library"),
  keepRecord: (kind: "stock" | "machine", key: string, value: Fields) =>
    key
      ? call<Library>("PUT", `/library/${kind}/${encodeURIComponent(key)}`, { value })
      : post<Library>(`/library/${kind}`, { value }),
  removeRecord: (kind: "stock" | "machine", key: string) =>
    call<Library>("DELETE", `/library/${kind}/${encodeURIComponent(key)}`),
  keepRates: (value: Fields) => call<Library>("PUT", "/library/rates", { value }),
  keepSettings: (machine: string, stock: string, settings: Fields[]) =>
    call<Library>("PUT", `/library/settings/${encodeURIComponent(machine)}/${encodeURIComponent(stock)}`, {
      settings,
    }),
  makeFiles: (id: number) => post<Task>(`/jobs/${id}/files`),
  newestFiles: (id: number) => get<Task | null>(`/jobs/${id}/files`),
  task: (id: number) => get<Task>(`/tasks/${id}`),
  stopTask: (id: number) => post<Task>(`/tasks/${id}/stop`),
};
