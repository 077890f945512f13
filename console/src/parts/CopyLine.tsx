import { useQuery, useQueryClient } from "@tanstack/react-query";
import { changesIn, copyOf, resetCopy, type Copy } from "../work/copies";
import { Button } from "./Button";
import { useCall } from "./useCall";
import { moment } from "./words";

/** That one works in a copy of a dataset, what has changed in it, and whether something is not committed. */
export function CopyLine({ dataset }: { dataset: string }) {
  const { data: copy } = useQuery(copyOf(dataset));
  if (copy === undefined) return null;
  if (copy === null)
    return (
      <p className="copy-line quiet" role="status">
        You may change the data here: it happens in a copy of your own.
      </p>
    );
  return (
    <div className="copy-line">
      <p role="status">
        <strong>In your copy</strong> of {copy.dataset}, made {moment(copy.made)}. <Changes copy={copy} />
        {copy.replaced && " The dataset was built anew, and your copy of the earlier build is gone."}{" "}
        <Uncommitted copy={copy} />
      </p>
      <Reset key={copy.made} dataset={dataset} />
    </div>
  );
}

function Changes({ copy }: { copy: Copy }) {
  const parts = changesIn(copy.changes);
  if (parts.length === 0) return "Nothing has changed in it.";
  const most = 4;
  if (parts.length <= most) return parts.join("; ") + ".";
  return (
    <>
      {parts.slice(0, most).join("; ")}; <span title={parts.slice(most).join("; ")}>{parts.length - most} more</span>.
    </>
  );
}

function Uncommitted({ copy }: { copy: Copy }) {
  if (copy.transaction === "none" || !copy.transaction_until) return null;
  const until = new Date(copy.transaction_until).toLocaleTimeString("en-GB");
  return (
    <strong className="uncommitted">
      {copy.transaction === "open"
        ? `Not committed: a transaction is open. It is rolled back at ${until}, unless you run something before.`
        : `The open transaction has failed: only ROLLBACK is possible. It is rolled back at ${until}.`}
    </strong>
  );
}

/** Throws the copy away. What was run in it stays in the history. */
function Reset({ dataset }: { dataset: string }) {
  const queries = useQueryClient();
  const { call, problem, busy } = useCall();
  return (
    <span className="copy-reset">
      {problem?.title}{" "}
      <Button
        size="small"
        loading={busy}
        title="Throw the copy away and begin anew: what you ran stays in your history"
        onClick={() => void call(() => resetCopy(queries, dataset))}
      >
        Reset
      </Button>
    </span>
  );
}
