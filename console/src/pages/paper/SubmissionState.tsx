import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { moment } from "../../parts/words";
import { submissions, type Submission } from "../../work/submissions";

/** Says where a submission is that has not become an attempt: on its way, waiting to be sent, or not sent. */
export function SubmissionState({ submission }: { submission: Submission }) {
  const { state, problem, place, at } = submission;
  if (state === "sending") return <p role="status">Sending what you submitted at {moment(at)} …</p>;
  return (
    <div className="submission" data-state={state} role="status">
      {state === "waiting" ? (
        <>
          <p>
            <strong>Waiting to be sent.</strong> {problem?.title ?? "The service cannot be reached"}. What you submitted
            at {moment(at)} is sent automatically, as it was then; it counts when it arrives.
          </p>
          <Button size="small" onClick={() => submissions.drop(place)}>
            Do not send it
          </Button>
        </>
      ) : (
        <>
          <p>
            <strong>Not submitted.</strong>
          </p>
          {problem && <ProblemNote problem={problem} />}
        </>
      )}
    </div>
  );
}
