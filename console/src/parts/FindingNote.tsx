import type { Finding } from "../api/client";
import { RowsTable } from "./RowsTable";

/**
 * One finding, as a note in the margin: a sentence, then the rows that show it. A likely cause stands first, and says
 * that it is one.
 */
export function FindingNote({ finding }: { finding: Finding }) {
  return (
    <div className="finding" data-kind={finding.kind}>
      <p>
        {finding.kind.startsWith("cause-") && <span className="cause">Likely cause: </span>}
        {finding.sentence}
      </p>
      {finding.rows && finding.rows.length > 0 && <RowsTable columns={finding.columns ?? []} rows={finding.rows} />}
    </div>
  );
}
