import { useLayoutEffect } from "react";
import { useLocation, useNavigationType } from "react-router";

const stored = "places";

/** How far down each entry of the browser's history was scrolled, in pixels. */
const places = new Map<string, number>(JSON.parse(sessionStorage.getItem(stored) ?? "[]") as [string, number][]);

history.scrollRestoration = "manual";
addEventListener("pagehide", () => sessionStorage.setItem(stored, JSON.stringify([...places].slice(-100))));

/**
 * Where one was on a page is where Back leads to; another page begins at its top. As long as the page has not grown so
 * far, its place is waited for, until somebody scrolls or presses a key.
 */
export function useScroll() {
  const { key: entry, pathname, hash } = useLocation();
  const key = entry === "default" ? pathname : entry; // gone to by its address
  const kind = useNavigationType();
  useLayoutEffect(() => {
    let wanted = kind === "POP" ? places.get(key) : hash ? undefined : kind === "PUSH" ? 0 : undefined;
    const stop = () => (wanted = undefined);
    const go = () => {
      if (wanted === undefined) return;
      if (document.documentElement.scrollHeight < wanted + innerHeight) return;
      scrollTo(0, wanted);
      stop();
    };
    const grown = new ResizeObserver(go);
    grown.observe(document.body);
    go();
    const keep = () => wanted === undefined && places.set(key, scrollY);
    addEventListener("scroll", keep, { passive: true });
    for (const event of ["wheel", "keydown", "pointerdown"]) addEventListener(event, stop, { passive: true });
    return () => {
      grown.disconnect();
      removeEventListener("scroll", keep);
      for (const event of ["wheel", "keydown", "pointerdown"]) removeEventListener(event, stop);
    };
  }, [key, hash, kind]);
}
