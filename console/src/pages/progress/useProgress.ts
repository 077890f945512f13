import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { answer, api, type Schemas } from "../../api/client";
import { follow } from "../../api/events";

type Progress = Schemas["Progress"];
type News = Schemas["ProgressNews"];

/** A paper's grid, which follows the course as it works: only the cells that change are sent. */
export function useProgress(paper: string, course: string) {
  const queries = useQueryClient();
  const [heard, setHeard] = useState(""); // what is being followed: from then on nothing is missed
  useEffect(() => {
    const key = ["progress", paper, course];
    const search = course ? `?${new URLSearchParams({ course })}` : "";
    let again: ReturnType<typeof setTimeout> | undefined;
    const ask = () => {
      again ??= setTimeout(() => {
        again = undefined;
        void queries.invalidateQueries({ queryKey: key });
      }, 500);
    };
    const begin = () => setHeard(key.join(" "));
    const each = (news: News) => {
      begin();
      const grid = queries.getQueryData<Progress>(key);
      if (!grid && news.again) return; // it is being asked for
      const changed = news.again || !grid ? undefined : changedBy(grid, news.cells ?? []);
      if (changed) queries.setQueryData(key, changed);
      else ask();
    };
    const path = `/api/papers/${encodeURIComponent(paper)}/progress/events${search}`;
    const end = follow<News>(path, each, begin); // the grid is shown in any case
    return () => {
      clearTimeout(again);
      end();
    };
  }, [queries, paper, course]);
  const asked = (first?: number) =>
    answer(
      api.GET("/api/papers/{paper}/progress", {
        params: { path: { paper }, query: { first, ...(course ? { course } : {}) } },
      }),
    );
  const all = useQuery({
    queryKey: ["progress", paper, course],
    enabled: heard === ["progress", paper, course].join(" "),
    queryFn: () => asked(),
  });
  // A large class is there from its first lines on.
  const begin = useQuery({
    queryKey: ["progress-begin", paper, course],
    enabled: all.data === undefined,
    queryFn: () => asked(firstLines),
  });
  return all.data === undefined && begin.data !== undefined ? begin : all;
}

const firstLines = 40;

/** The grid with some cells changed; nothing where one of them is of nobody in it. */
function changedBy(grid: Progress, cells: Schemas["ChangedCell"][]): Progress | undefined {
  const learners = [...grid.learners];
  const places = new Map(learners.map((learner, i) => [`${learner.course} ${learner.name}`, i]));
  const columns = new Map(grid.exercises.map((exercise, i) => [exercise.slug, i]));
  for (const { learner, course, exercise, at, cell } of cells) {
    const place = places.get(`${course} ${learner}`);
    const column = columns.get(exercise);
    if (place === undefined || column === undefined) return undefined;
    const before = learners[place];
    const own = before.cells.with(column, cell);
    const last = cell.attempts > 0 && (!before.last || at > before.last) ? at : before.last;
    learners[place] = { ...before, cells: own, last, mark: sumOf(own.map((c) => c.mark)) };
  }
  return { ...grid, learners };
}

/** A sum of marks, which have at most so many decimals that it can be rounded to what it is. */
function sumOf(marks: number[]) {
  return Number(marks.reduce((sum, mark) => sum + mark, 0).toFixed(6));
}
