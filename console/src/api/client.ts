import createClient, { type Middleware } from "openapi-fetch";
import { call } from "./early";
import type { components, paths } from "./contract";

export type Schemas = components["schemas"];
export type Problem = Schemas["Problem"];
export type Session = Schemas["Session"];
export type Exercise = Schemas["Exercise"];
export type Attempt = Schemas["Attempt"];
export type Run = Schemas["Run"];
export type Finding = Schemas["Finding"];
export type Entry = Schemas["HistoryEntry"];
export type Outcome = Schemas["Outcome"];
export type Rows = Schemas["Rows"];
export type Dataset = Schemas["Dataset"];
export type Table = Schemas["Table"];
export type Job = Schemas["Job"];

/** The service's no, or its silence. */
export class ProblemError extends Error {
  constructor(readonly problem: Problem) {
    super(`${problem.title}. ${problem.detail}`);
  }
}

const silence: Problem = {
  type: "examen:unreachable",
  title: "The service cannot be reached",
  status: 0,
  detail: "What you type stays on this page; it is tried again by itself.",
};

let csrfToken = "";
let onSessionEnd = () => {};
let onServerDown = () => {};

export function setCsrfToken(token: string) {
  csrfToken = token;
}

/** Has f called whenever a call finds that the session has ended. */
export function whenSessionEnds(f: () => void) {
  onSessionEnd = f;
}

/** Has f called whenever a call finds that a server cannot be reached. */
export function whenServerDown(f: () => void) {
  onServerDown = f;
}

/** A server is going down, or has gone. */
export function serverDown() {
  onServerDown();
}

const csrf: Middleware = {
  onRequest({ request }) {
    if (csrfToken) request.headers.set("X-CSRF-Token", csrfToken);
    return request;
  },
};

let ahead = 0; // milliseconds that the service's clock is ahead of this one, to a second

/** What time it is by the service's clock, which decides what is in time. */
export function serviceNow() {
  return Date.now() + ahead;
}

const clock: Middleware = {
  onResponse({ response }) {
    const at = Date.parse(response.headers.get("Date") ?? "");
    if (!Number.isNaN(at) && Math.abs(at - serviceNow()) > 1500) ahead = at - Date.now();
  },
};

export const api = createClient<paths>({ baseUrl: "", fetch: call });
api.use(csrf, clock);

/** Waits for a call's answer. Anything but the answer is thrown as a ProblemError. */
export async function answer<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result;
  try {
    result = await call;
  } catch (error) {
    if (error instanceof DOMException && error.name === "AbortError") throw error; // the caller gave it up
    onServerDown();
    throw new ProblemError(silence);
  }
  if (result.response.ok) return result.data as T;
  const problem = isProblem(result.error) ? result.error : { ...silence, status: result.response.status };
  if (problem.type === "examen:no-session") onSessionEnd();
  if (problem.status === 503) onServerDown();
  throw new ProblemError(problem);
}

/** Sends files, and tells how many bytes have gone: only the older way of calling knows that. */
export function sendFiles(
  path: string,
  files: { path: string; file: File }[],
  onSent: (bytes: number) => void,
): Promise<Job> {
  const body = new FormData();
  for (const { path, file } of files) body.append("file", file, path);
  return new Promise((resolve, reject) => {
    const call = new XMLHttpRequest();
    call.open("POST", path);
    call.setRequestHeader("X-CSRF-Token", csrfToken);
    call.upload.onprogress = (event) => onSent(event.loaded);
    call.onerror = () => reject(new ProblemError(silence));
    call.onload = () => {
      let value: unknown;
      try {
        value = JSON.parse(call.responseText);
      } catch {
        return reject(new ProblemError({ ...silence, status: call.status }));
      }
      if (call.status < 300) return resolve(value as Job);
      const problem = isProblem(value) ? value : { ...silence, status: call.status };
      if (problem.type === "examen:no-session") onSessionEnd();
      reject(new ProblemError(problem));
    };
    call.send(body);
  });
}

/** Sends the files of a roster. */
export async function sendRoster<T>(path: string, files: File[]): Promise<T> {
  const body = new FormData();
  for (const file of files) body.append("file", file, file.name);
  return answer<T>(
    fetch(path, { method: "POST", body, headers: { "X-CSRF-Token": csrfToken } }).then(async (response) => {
      const value: unknown = await response.json();
      return response.ok ? { data: value as T, response } : { error: value, response };
    }),
  );
}

function isProblem(value: unknown): value is Problem {
  return typeof value === "object" && value !== null && "type" in value && "detail" in value;
}

/** The problem in whatever was thrown. */
export function problemOf(error: unknown): Problem {
  return error instanceof ProblemError
    ? error.problem
    : { ...silence, title: "Something went wrong on this page", detail: String(error) };
}
