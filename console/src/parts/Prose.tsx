import { useEffect, useRef } from "react";
import { useNavigate } from "react-router";
import { retrying } from "./lazily";

/** Narrative, as the HTML that the service makes of its Markdown: nothing in it can run. */
export function Prose({ html }: { html: string }) {
  const place = useRef<HTMLDivElement>(null);
  const navigate = useNavigate();
  useEffect(() => {
    const formulas = place.current?.querySelectorAll<HTMLElement>(".math");
    if (formulas?.length) void retrying(() => import("./mathematics")).then(({ draw }) => formulas.forEach(draw));
  }, [html]);
  useEffect(() => {
    const prose = place.current;
    // A link to another paper or exercise does not load the console again.
    const follow = (event: MouseEvent) => {
      const link = (event.target as Element).closest("a");
      if (!link || link.origin !== location.origin || event.ctrlKey || event.metaKey || event.shiftKey) return;
      if (link.pathname.startsWith("/api/")) return;
      event.preventDefault();
      void navigate(link.pathname + link.search + link.hash);
    };
    prose?.addEventListener("click", follow);
    return () => prose?.removeEventListener("click", follow);
  }, [navigate]);
  return <div ref={place} className="prose" dangerouslySetInnerHTML={{ __html: html }} />;
}
