import { useState } from "react";
import { answer, api, type Exercise } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { useCall } from "../../parts/useCall";
import { moment } from "../../parts/words";

/** What one says against what came of the latest attempt, or a way to say it. */
export function Dispute({ exercise }: { exercise: Exercise }) {
  const { latest, dispute, points, mark, untold } = exercise;
  const [reason, setReason] = useState<string | null>(null);
  const { call, problem, busy } = useCall("paper");
  if (!latest || untold) return null;
  const url = "/api/attempts/{attempt}/dispute" as const;
  if (dispute?.attempt === latest.id) {
    const params = { path: { attempt: Number(latest.id) } };
    return (
      <div className="dispute">
        <p>
          <strong>Disputed</strong> <span className="quiet">{moment(dispute.at)}</span>
          <br />
          {dispute.reason}
        </p>
        {dispute.seen ? (
          <p className="quiet">
            {dispute.seen_by} looked at it {moment(dispute.seen)}.
          </p>
        ) : (
          <p className="actions">
            <span className="quiet">Somebody who teaches will look at it.</span>
            <Button size="small" loading={busy} onClick={() => void call(() => answer(api.DELETE(url, { params })))}>
              Take it back
            </Button>
          </p>
        )}
        {problem && <ProblemNote problem={problem} />}
      </div>
    );
  }
  if (mark >= points) return null;
  if (reason === null)
    return (
      <p className="actions">
        <Button size="small" type="link" onClick={() => setReason("")}>
          Is this wrong? Say why …
        </Button>
      </p>
    );
  const params = { path: { attempt: Number(latest.id) } };
  return (
    <form
      className="dispute"
      aria-label={`Dispute what was found in ${exercise.title}`}
      onSubmit={(event) => {
        event.preventDefault();
        void call(() => answer(api.PUT(url, { params, body: { reason } })).then(() => setReason(null)));
      }}
    >
      <label>
        What is wrong with what was found?
        <textarea
          required
          maxLength={1000}
          rows={2}
          value={reason}
          onChange={(event) => setReason(event.target.value)}
        />
      </label>
      <p className="actions">
        <Button size="small" type="primary" htmlType="submit" loading={busy} disabled={!reason.trim()}>
          Dispute it
        </Button>
        <Button size="small" onClick={() => setReason(null)}>
          Leave it
        </Button>
      </p>
      {problem && <ProblemNote problem={problem} />}
    </form>
  );
}
