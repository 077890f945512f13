import { lazy, type ComponentType } from "react";

const again = 2000; // milliseconds until another try

/** Loads code. While the service does not answer, it is asked for again and again. */
export async function retrying<T>(load: () => Promise<T>): Promise<T> {
  for (;;) {
    try {
      return await load();
    } catch {
      await new Promise((done) => setTimeout(done, again));
    }
  }
}

/** A component whose code loads when it is first shown; the page waits, and says meanwhile what is down. */
export function lazily<P extends object>(load: () => Promise<ComponentType<P>>) {
  return lazy(async () => ({ default: await retrying(load) }));
}
