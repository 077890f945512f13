import { Link } from "react-router";
import { RowsTable } from "../../parts/RowsTable";
import { WrongAnswer } from "../../parts/WrongAnswer";
import type { Schemas } from "../../api/client";
import type { WritingPart } from "../../work/paperText";

const severities = { error: "Error", warning: "Doubtful", note: "Note" };

interface Props {
  paper: string;
  part: WritingPart;
  wrong: Schemas["PartError"][];
  /** The text has been changed since the remarks came. */
  changed: boolean;
}

/** What keeps a part from being published, and what the examiner remarks on it. */
export function Remarks({ paper, part, wrong, changed }: Props) {
  const waiting = !wrong.length && (changed || !part.inspected);
  return (
    <div className="remarks">
      {wrong.map((error, i) => (
        <div key={i} className="check-note" data-severity="error">
          <p>
            <strong>Cannot be published</strong>, line {error.line}: {error.detail}
          </p>
        </div>
      ))}
      {!wrong.length &&
        part.remarks.map((remark, i) => (
          <div key={i} className="check-note" data-severity={remark.severity}>
            <p>
              <strong>{severities[remark.severity]}</strong>: {remark.sentence}
            </p>
            {remark.rows && remark.rows.length > 0 && <RowsTable columns={remark.columns ?? []} rows={remark.rows} />}
            {remark.edit && <WrongAnswer edit={remark.edit} short />}
          </div>
        ))}
      <p className="quiet" role="status">
        {waiting ? "The examiner is looking at it …" : !wrong.length && !part.remarks.length && "Nothing to remark."}
      </p>
      {!waiting && part.strength && (
        <p className="strength">
          <strong>Strength</strong>: {part.strength.sentence}{" "}
          {part.strength.survivors.length > 0 && (
            <Link to={`/papers/${paper}/strengthen`}>Search for rows that would tell</Link>
          )}
        </p>
      )}
    </div>
  );
}
