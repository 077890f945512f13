import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { answer, api, problemOf, type Exercise, type Schemas } from "../../api/client";
import { moment } from "../../parts/words";

const pause = 700; // milliseconds after the last key
const again = 3000; // milliseconds until another try

/**
 * Keeps the text of an answer space by the service as it is typed. What cannot be kept is tried again until it is.
 * said tells in words how it stands.
 */
export function useDraft(exercise: Exercise) {
  const [said, setSaid] = useState(exercise.draft ? `Draft kept ${moment(exercise.draft.kept)}` : "");
  const waiting = useRef<{ sql: string; timer: number } | null>(null);
  const { paper, slug } = exercise;
  const queries = useQueryClient();

  const send = useCallback(
    async (sql: string) => {
      const path = { paper, exercise: slug };
      try {
        const draft = await answer(api.PUT("/api/papers/{paper}/exercises/{exercise}/draft", { params: { path }, body: { sql } }));
        // The paper as it was loaded learns of it, so that leaving the page and coming back shows this text.
        queries.setQueryData(["paper", paper], (loaded?: Schemas["Paper"]) => loaded && withDraft(loaded, slug, draft));
        if (waiting.current?.sql === sql) waiting.current = null;
        if (!waiting.current) setSaid(`Draft kept ${moment(draft.kept)}`);
      } catch (error) {
        const problem = problemOf(error);
        const passes = problem.status === 0 || problem.status >= 500 || problem.status === 401;
        setSaid(`Draft not kept: ${problem.title.toLowerCase()}${passes ? "; it is tried again" : ""}`);
        if (passes && waiting.current?.sql === sql) waiting.current.timer = window.setTimeout(() => void send(sql), again);
      }
    },
    [paper, slug, queries],
  );

  const keep = useCallback(
    (sql: string) => {
      window.clearTimeout(waiting.current?.timer);
      waiting.current = { sql, timer: window.setTimeout(() => void send(sql), pause) };
      setSaid("Keeping the draft ...");
    },
    [send],
  );

  // Leaving the page sends what is waiting at once.
  useEffect(
    () => () => {
      if (!waiting.current) return;
      window.clearTimeout(waiting.current.timer);
      void send(waiting.current.sql);
    },
    [send],
  );
  return { said, keep };
}

function withDraft(paper: Schemas["Paper"], slug: string, draft: Schemas["Draft"]): Schemas["Paper"] {
  const sections = paper.sections.map((s) => (s.exercise?.slug === slug ? { ...s, exercise: { ...s.exercise, draft } } : s));
  return { ...paper, sections };
}
