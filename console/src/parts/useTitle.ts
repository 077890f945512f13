import { useEffect } from "react";

/** Names the page, for its tab and for who hears it. */
export function useTitle(title?: string) {
  useEffect(() => {
    document.title = title ? `${title} · Examen` : "Examen";
  }, [title]);
}
