import { useEffect, useRef } from "react";

/**
 * Brings a part that was just opened into sight, wherever the button stands that opened it, and once more when what it
 * shows has come.
 */
export function useInSight(waiting: boolean) {
  const part = useRef<HTMLElement>(null);
  useEffect(() => {
    part.current?.scrollIntoView({ block: "nearest" });
  }, [waiting]);
  return part;
}
