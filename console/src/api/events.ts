import { serverDown } from "./client";

const soon = 2_000;
const longest = 30_000; // milliseconds

/**
 * Follows server-sent events until the returned function is called. The browser makes a connection again that breaks;
 * one that is refused, as while the service is restarted behind a proxy, is made again here. onRefused is told of that.
 */
export function follow<T>(path: string, each: (news: T) => void, onRefused: () => void = () => {}): () => void {
  let events: EventSource;
  let again: ReturnType<typeof setTimeout> | undefined;
  let pause = soon;
  const connect = () => {
    events = new EventSource(path);
    events.onmessage = (event: MessageEvent<string>) => {
      pause = soon;
      each(JSON.parse(event.data) as T);
    };
    events.addEventListener("stopping", serverDown);
    events.onerror = () => {
      if (events.readyState !== EventSource.CLOSED) return;
      onRefused();
      again = setTimeout(connect, pause);
      pause = Math.min(2 * pause, longest);
    };
  };
  connect();
  return () => {
    clearTimeout(again);
    events.close();
  };
}
