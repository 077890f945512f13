import { useEffect, useEffectEvent, useRef, useState } from "react";
import type { Exercise, Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { Menu } from "../../parts/Menu";
import { points, stateOf } from "../../parts/words";
import { results } from "../../work/results";
import { savePaper } from "./savePaper";

interface Props {
  summary: Schemas["PaperSummary"];
  exercises: Exercise[];
  /** The exercise that has the window. */
  focus: string | null;
  onFocus(exercise: string | null): void;
  /** Whether the tables are shown. */
  tables: boolean;
  onTables(): void;
}

/** What stays at hand while one scrolls: the outline, the next exercise and the one before, tables, the whole paper. */
export function PaperBar({ summary, exercises, focus, onFocus, tables, onTables }: Props) {
  const [said, setSaid] = useState("");
  const [scrolled, setScrolled] = useState(false); // the paper's own head is out of sight
  const before = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const seen = new IntersectionObserver(([at]) => setScrolled(!at.isIntersecting));
    seen.observe(before.current!);
    return () => seen.disconnect();
  }, []);
  const go = (exercise?: Exercise) => {
    if (!exercise) return;
    if (focus) onFocus(exercise.slug);
    else goTo(exercise.slug);
  };
  const step = (by: number) => {
    const slugs = exercises.map((exercise) => exercise.slug);
    go(exercises[focus ? slugs.indexOf(focus) + by : nearest(slugs, by)]);
  };
  const stepByKey = useEffectEvent(step);
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (!event.altKey || (event.key !== "PageDown" && event.key !== "PageUp")) return;
      event.preventDefault();
      stepByKey(event.key === "PageDown" ? 1 : -1);
    };
    document.addEventListener("keydown", press, true);
    return () => document.removeEventListener("keydown", press, true);
  }, []);
  const save = async (format: "html" | "markdown") => {
    setSaid("Running your answers for the file …");
    setSaid(await savePaper(summary.slug, format));
  };
  return (
    <>
      <div ref={before} className="before-bar" />
      <nav className="paper-bar" aria-label="This paper">
        {focus ? (
          <h1 className="paper-bar-title">{summary.title}</h1>
        ) : (
          scrolled && <span className="paper-bar-title">{summary.title}</span>
        )}
        <Menu label="Outline">
          <ol className="outline">
            {exercises.map((exercise) => (
              <li key={exercise.slug}>
                <button type="button" data-closes className="outline-exercise" onClick={() => go(exercise)}>
                  <span>
                    {exercise.number}. {exercise.title}
                  </span>{" "}
                  <small>
                    {stateOf(exercise)}
                    {!exercise.outcome && !exercise.by_hand && `, ${points(exercise.points)}`}
                  </small>
                </button>
              </li>
            ))}
          </ol>
        </Menu>
        <Button size="small" aria-keyshortcuts="Alt+PageUp" title="Alt-PageUp" onClick={() => step(-1)}>
          Previous
        </Button>
        <Button size="small" aria-keyshortcuts="Alt+PageDown" title="Alt-PageDown" onClick={() => step(1)}>
          Next
        </Button>
        <span className="quiet" role="status">
          {said}
        </span>
        <span className="actions-end">
          <Button size="small" aria-pressed={tables} onClick={onTables}>
            Tables
          </Button>
          <Menu label="Whole paper">
            <Button size="small" data-closes onClick={() => void results.runExamples()}>
              Run all examples
            </Button>
            <Button size="small" data-closes onClick={results.clear}>
              Clear all results
            </Button>
            <Button size="small" data-closes onClick={() => setTimeout(print)}>
              Print
            </Button>
            <Button size="small" data-closes onClick={() => void save("html")}>
              Save as HTML
            </Button>
            <Button size="small" data-closes onClick={() => void save("markdown")}>
              Save as Markdown
            </Button>
            <p className="quiet">A file has your answers and their results in it, and needs nothing else.</p>
          </Menu>
        </span>
      </nav>
    </>
  );
}

/** Goes to an exercise: where one was writing, to its answer space, otherwise to its title. */
function goTo(slug: string) {
  const section = document.getElementById(slug);
  const writing = document.activeElement?.closest(".answer .sql");
  section?.scrollIntoView();
  const aim = writing ? ".answer .sql :is(textarea, .cm-content)" : "h2";
  section?.querySelector<HTMLElement>(aim)?.focus({ preventScroll: true });
}

/** The place, among the exercises, of the next one or the one before, seen from where the keyboard or the page is. */
function nearest(slugs: string[], by: number) {
  const here = document.activeElement?.closest<HTMLElement>("[data-exercise]")?.dataset.exercise;
  if (here) return slugs.indexOf(here) + by;
  const tops = slugs.map((slug) => document.getElementById(slug)?.getBoundingClientRect().top ?? Infinity);
  const reached = 80; // pixels: what stands so far up is where one is
  return by > 0 ? tops.findIndex((top) => top > reached) : tops.findLastIndex((top) => top < 0);
}
