import { serviceNow } from "../../api/client";
import { useEffect, useState } from "react";

const longest = 2 ** 31 - 1; // that a timer can wait

/** Whether a time has come, which changes by itself when it does. */
export function usePast(iso?: string) {
  const [now, setNow] = useState(serviceNow);
  const at = iso ? Date.parse(iso) : Infinity;
  useEffect(() => {
    if (at <= serviceNow() || at === Infinity) return;
    const timer = setTimeout(() => setNow(serviceNow()), Math.min(at - serviceNow() + 50, longest));
    return () => clearTimeout(timer);
  }, [at, now]);
  return at <= now;
}
