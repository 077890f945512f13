import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../api/client";
import { Button } from "../Button";
import { ProblemNote } from "../ProblemNote";
import { useCall } from "../useCall";
import { moment, points } from "../words";

interface Work {
  paper: string;
  exercise: string;
  learner: string;
  course?: string;
}

interface Props {
  of: Work;
  /** Told after each change: of a mark that was set, how it is taken back. */
  onChanged?(undo?: () => Promise<unknown>): void;
  onClose?(): void;
}

const changes = ["marks-set", "reviews", "timeline", "progress", "class"];

/** A learner's mark for an exercise: what is computed, beside it what was set by hand and why, and a form to set it. */
export function MarkForm({ of, onChanged, onClose }: Props) {
  const path = { paper: of.paper, exercise: of.exercise, learner: of.learner };
  const url = "/api/papers/{paper}/exercises/{exercise}/marks/{learner}" as const;
  const marks = useQuery({
    queryKey: ["marks-set", of],
    queryFn: () => answer(api.GET(url, { params: { path, query: { course: of.course } } })),
  });
  const { call, problem, busy } = useCall(...changes);
  const [typed, setTyped] = useState<string>();
  const [reason, setReason] = useState("");
  const is = marks.data;
  const last = is?.last;
  const undo = (after?: string) =>
    answer(api.DELETE(url, { params: { path, query: { course: of.course, last: after } } }));
  async function set(mark?: number) {
    const body = { course: of.course, mark, reason, last };
    const now = await call(() => answer(api.PUT(url, { params: { path }, body })));
    if (!now) return void marks.refetch();
    setTyped(undefined);
    setReason("");
    onChanged?.(() => undo(now.last));
  }
  async function takeBack() {
    if (await call(() => undo(last))) onChanged?.();
    else void marks.refetch();
  }
  if (!is) return marks.error ? <ProblemNote problem={{ ...noMarks, detail: String(marks.error) }} /> : null;
  const mark = typed ?? String(is.mark);
  return (
    <form
      className="course-form mark-form"
      aria-label="Mark by hand"
      onSubmit={(event) => {
        event.preventDefault();
        void set(Number(mark));
      }}
    >
      <p>
        <strong>
          {is.mark} of {points(is.points)}
        </strong>
        {is.by_hand ? `, set by hand; ${is.computed} is computed.` : ", as computed."}
      </p>
      <History set={is.set} />
      <label>
        Mark
        <input
          type="number"
          min={0}
          max={is.points}
          step="any"
          required
          value={mark}
          onChange={(event) => setTyped(event.target.value)}
          // It was asked for by a press, and is what is written in next.
          // eslint-disable-next-line jsx-a11y/no-autofocus
          autoFocus
        />
      </label>
      <label>
        Reason
        <input required maxLength={1000} value={reason} onChange={(event) => setReason(event.target.value)} />
      </label>
      <p className="actions">
        <Button type="primary" htmlType="submit" loading={busy} disabled={!reason.trim()}>
          Set the mark
        </Button>
        {is.set.some((one) => !one.undone && !one.undoes) && (
          <Button loading={busy} onClick={() => void takeBack()}>
            Undo the last
          </Button>
        )}
        {onClose && <Button onClick={onClose}>Close</Button>}
      </p>
      {problem && <ProblemNote problem={problem} />}
    </form>
  );
}

const noMarks = { type: "examen:marks", title: "The marks cannot be shown", status: 0, detail: "" };

/** What was set by hand and stands, or was taken back. */
function History({ set }: { set: Schemas["MarkSet"][] }) {
  const own = set.filter((one) => !one.undoes);
  if (own.length === 0) return null;
  return (
    <ul className="marks-set">
      {own.map((one) => {
        const said = `${one.mark ?? "As computed"}: ${one.reason}`;
        return (
          <li key={one.id}>
            {one.undone ? <s>{said}</s> : said}{" "}
            <span className="quiet">
              {one.by}, {moment(one.at)}
              {one.undone && "; taken back"}
            </span>
          </li>
        );
      })}
    </ul>
  );
}
