import { useEffect, useState } from "react";

const longest = 2 ** 31 - 1; // that a timer can wait

/** Whether a time has come, which changes by itself when it does. */
export function usePast(iso?: string) {
  const [now, setNow] = useState(Date.now);
  const at = iso ? Date.parse(iso) : Infinity;
  useEffect(() => {
    if (at <= Date.now() || at === Infinity) return;
    const timer = setTimeout(() => setNow(Date.now()), Math.min(at - Date.now() + 50, longest));
    return () => clearTimeout(timer);
  }, [at, now]);
  return at <= now;
}
