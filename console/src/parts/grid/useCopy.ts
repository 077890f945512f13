import { useEffect, useEffectEvent, useRef, type RefObject } from "react";

/** What may be copied. */
export type Copied = "cells" | "column" | "all";

/**
 * Copies from a grid: its marked cells when the keys for it are pressed there, anything else when a button asks for it.
 * text is what is copied.
 */
export function useCopy(grid: RefObject<HTMLElement | null>, text: (what: Copied, withNames: boolean) => string) {
  const asked = useRef<string>(null); // what a button copies; it has the focus itself
  // The event comes to the document: nothing in a grid is selected as text.
  const copy = useEffectEvent((event: ClipboardEvent) => {
    const copied = asked.current ?? (document.activeElement === grid.current ? text("cells", false) : null);
    if (copied === null) return;
    event.clipboardData?.setData("text/plain", copied);
    event.preventDefault();
  });
  useEffect(() => {
    const heard = (event: ClipboardEvent) => copy(event);
    document.addEventListener("copy", heard);
    return () => document.removeEventListener("copy", heard);
  }, []);
  return (what: Copied, withNames: boolean) => {
    asked.current = text(what, withNames);
    document.execCommand("copy"); // it works without TLS, too
    asked.current = null;
  };
}
