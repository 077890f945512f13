import type { Finding } from "../api/client";
import { RowsTable } from "./RowsTable";

/** One finding, as a note in the margin: a sentence, then the rows that show it. */
export function FindingNote({ finding }: { finding: Finding }) {
  return (
    <div className="finding" data-kind={finding.kind}>
      <p>{finding.sentence}</p>
      {finding.rows && finding.rows.length > 0 && <RowsTable columns={finding.columns ?? []} rows={finding.rows} />}
    </div>
  );
}
