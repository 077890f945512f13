import { useQuery } from "@tanstack/react-query";
import { Button } from "../../../parts/Button";
import { answer, api, type Attempt, type Run } from "../../../api/client";
import { Evidence } from "../../../parts/FindingNote";
import { Grid } from "../../../parts/grid/Grid";
import { useInSight } from "../../../parts/useInSight";
import { Waiting } from "../../../parts/Waiting";
import { marksOf, wholeRow } from "./marks";

interface Props {
  attempt: Attempt;
  /** The attempt's query as it was run before; it is run now where it was not. */
  ran?: Run;
  onClose(): void;
}

/** The rows of an attempt beside those that its findings show. */
export function Beside({ attempt, ran, onClose }: Props) {
  const { paper, exercise, sql } = attempt;
  const run = useQuery({
    queryKey: ["rows of attempt", attempt.id],
    queryFn: () => answer(api.POST("/api/runs", { body: { paper, exercise, sql } })),
    initialData: ran,
    staleTime: Infinity,
    retry: false,
  });
  const part = useInSight(run.isPending);
  const shown = attempt.findings.filter((finding) => finding.rows?.length);
  return (
    <section ref={part} className="evidence" aria-label="Your rows and what the findings show">
      <div className="tools-line">
        <h3>Your rows, and what the findings show</h3>
        <Button size="small" onClick={onClose}>
          Close
        </Button>
      </div>
      <div className="beside">
        <Waiting query={run}>{(rows) => <OwnRows attempt={attempt} run={rows} />}</Waiting>
        <div>
          {shown.map((finding, i) => (
            <div key={i}>
              <p className="quiet">{finding.sentence}</p>
              <Evidence finding={finding} />
            </div>
          ))}
        </div>
      </div>
    </section>
  );
}

function OwnRows({ attempt, run }: { attempt: Attempt; run: Run }) {
  const marks = marksOf(attempt.findings, run.rows);
  return (
    <div>
      <p className="quiet">
        {marks.size > 0
          ? "Cells in a dashed frame are those of which a finding speaks."
          : "None of the rows shown is one of which a finding speaks."}
        {run.truncated && ` These are the first ${run.rows.length.toLocaleString("en")} rows.`}
      </p>
      <Grid
        label="Your rows"
        columns={run.columns}
        rows={run.rows}
        mark={(row, column) => marks.get(row)?.get(column) ?? marks.get(row)?.get(wholeRow)}
      />
    </div>
  );
}
