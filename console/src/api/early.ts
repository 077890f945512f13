const asked = new Map<string, Promise<Response>>();

/** Asks the service for what the page is about to ask for. */
export function ask(path: string) {
  const answer = fetch(path);
  answer.catch(() => {}); // the page asks again, and says what is wrong
  asked.set(path, answer);
}

/** Calls the service; the first who asks for what was asked for early gets that answer. */
export async function call(request: Request): Promise<Response> {
  if (request.method !== "GET") asked.clear(); // what was answered may have changed
  const { pathname, search } = new URL(request.url);
  const early = asked.get(pathname + search);
  asked.delete(pathname + search);
  if (early) {
    const answer = await early.catch(() => undefined);
    if (answer && answer.status < 500) return answer;
  }
  return fetch(request);
}
