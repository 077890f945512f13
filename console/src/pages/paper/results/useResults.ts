import { useEffect, useEffectEvent, type RefObject } from "react";
import { results } from "../../../work/results";

/** Has the results of a part of the page cleared, and an example run, with all others of it. */
export function useResults(place: RefObject<HTMLElement | null>, does: { run?(): Promise<void>; clear(): void }) {
  const run = useEffectEvent(async () => does.run?.());
  const clear = useEffectEvent(() => does.clear());
  const runs = does.run !== undefined;
  useEffect(() => {
    const element = place.current;
    if (element) return results.add({ element, run: runs ? () => run() : undefined, clear: () => clear() });
  }, [place, runs]);
}
