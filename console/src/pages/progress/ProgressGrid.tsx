import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { GridCell, type Show } from "./GridCell";
import { isHard, percent, type Learner, type Share, type View } from "./view";

interface Props {
  paper: string;
  /** The one that is looked at; "" for all. */
  course: string;
  exercises: Schemas["ExerciseHead"][];
  learners: Learner[];
  shares: Share[];
  show: Show;
  /** The most of what is shown by shades, in any cell. */
  most: number;
  view: View;
  onSort(by: View["sort"]): void;
}

const names = 176; // pixels: the columns that stay in sight, and the others
const mark = 62;
const cell = 104;
const last = 112;
const row = 44;
const head = 74;

/** Learners by exercises. Only what is in sight is drawn; the head and the names stay there. */
export function ProgressGrid({ paper, course, exercises, learners, shares, show, most, view, onSort }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const several = new Set(learners.map((learner) => learner.course)).size > 1; // courses
  // eslint-disable-next-line react-hooks/incompatible-library -- what these return goes to no other component
  const rows = useVirtualizer({
    count: learners.length,
    getScrollElement: () => box.current,
    estimateSize: () => row,
    paddingStart: head,
    overscan: 6,
  });
  const columns = useVirtualizer({
    horizontal: true,
    count: exercises.length,
    getScrollElement: () => box.current,
    estimateSize: () => cell,
    paddingStart: names + mark,
    paddingEnd: last,
    overscan: 2,
  });
  const width = columns.getTotalSize();
  const drawn = columns.getVirtualItems();
  const sorted = (by: View["sort"]) => (view.sort !== by ? undefined : view.down ? "descending" : "ascending");
  const sortable = (by: View["sort"], words: string) => (
    <button type="button" onClick={() => onSort(by)}>
      {words}
    </button>
  );
  return (
    // It scrolls, so it takes the keys that scroll.
    /* eslint-disable jsx-a11y/no-noninteractive-tabindex */
    <div
      ref={box}
      className="progress-grid"
      role="table"
      aria-label="Learners by exercises"
      aria-rowcount={learners.length + 1}
      aria-colcount={exercises.length + 3}
      tabIndex={0}
      style={{ maxWidth: width + 18, height: `min(${rows.getTotalSize() + 16}px, calc(100vh - 244px))` }}
    >
      <div style={{ width, height: rows.getTotalSize() }} role="presentation">
        <div className="progress-head" role="row" aria-rowindex={1} style={{ width, height: head }}>
          <span
            role="columnheader"
            aria-colindex={1}
            aria-sort={sorted("name")}
            className="name"
            style={{ width: names }}
          >
            {sortable("name", "Learner")}
          </span>
          <span
            role="columnheader"
            aria-colindex={2}
            aria-sort={sorted("mark")}
            className="mark"
            style={{ left: names, width: mark }}
          >
            {sortable("mark", "Mark")}
          </span>
          {drawn.map(({ index, start }) => (
            <ExerciseHead
              key={index}
              paper={paper}
              course={course}
              exercise={exercises[index]}
              share={shares[index]}
              column={index + 3}
              start={start}
            />
          ))}
          <span
            role="columnheader"
            aria-colindex={exercises.length + 3}
            aria-sort={sorted("last")}
            className="cell"
            style={{ left: width - last, width: last }}
          >
            {sortable("last", "Last attempt")}
          </span>
        </div>
        {rows.getVirtualItems().map(({ index, start }) => {
          const learner = learners[index];
          return (
            <div
              key={`${learner.course} ${learner.name}`}
              className="progress-row"
              role="row"
              aria-rowindex={index + 2}
              style={{ top: start, width, height: row }}
            >
              <span role="rowheader" aria-colindex={1} className="name" style={{ width: names }}>
                <Link to={`/learners/${learner.name}?name=${encodeURIComponent(learner.display_name)}`}>
                  {learner.display_name}
                </Link>
                <small>{[several && learner.course, learner.group].filter(Boolean).join(", ")}</small>
              </span>
              <span role="cell" aria-colindex={2} className="mark" style={{ left: names, width: mark }}>
                {learner.mark}
              </span>
              {drawn.map((column) => (
                <GridCell
                  key={column.index}
                  cell={learner.cells[column.index]}
                  to={workOf(learner, paper, exercises[column.index].slug, course)}
                  show={show}
                  most={most}
                  column={column.index + 3}
                  start={column.start}
                  width={cell}
                />
              ))}
              <span
                role="cell"
                aria-colindex={exercises.length + 3}
                className="cell quiet"
                style={{ left: width - last, width: last }}
              >
                {learner.last && day(learner.last)}
              </span>
            </div>
          );
        })}
      </div>
    </div>
  );
}

interface HeadProps {
  paper: string;
  course: string;
  exercise: Schemas["ExerciseHead"];
  share: Share;
  column: number;
  start: number;
}

/** An exercise, and what share of those who tried it have solved it. */
function ExerciseHead({ paper, course, exercise, share, column, start }: HeadProps) {
  return (
    <span role="columnheader" aria-colindex={column} className="cell" style={{ left: start, width: cell }}>
      <Link
        to={`/papers/${paper}/progress/${exercise.slug}${course && `?${new URLSearchParams({ course })}`}`}
        title={exercise.title}
      >
        {exercise.number}. {exercise.title}
      </Link>
      <small className={isHard(share) ? "hard" : undefined} title={`${share.solved} of ${share.tried} who tried`}>
        {share.tried > 0 && `${percent(share)} solved`}
        {isHard(share) && ", hard"}
      </small>
    </span>
  );
}

function day(iso: string) {
  const format = { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" } as const;
  return new Date(iso).toLocaleString("en-GB", format);
}

/** Where a learner's work on an exercise is shown. */
function workOf(learner: Learner, paper: string, exercise: string, course: string) {
  const search = new URLSearchParams({ paper, exercise, name: learner.display_name, ...(course && { course }) });
  return `/learners/${learner.name}?${search}`;
}
