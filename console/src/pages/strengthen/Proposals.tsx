import { RowsTable } from "../../parts/RowsTable";
import { WrongAnswer } from "../../parts/WrongAnswer";
import { SqlView } from "../../parts/sql/SqlView";
import type { Schemas } from "../../api/client";

type Told = Schemas["Told"];

/** The rows that were found, each set with what it is for. */
export function Proposals({ found }: { found: Schemas["Strengthening"] }) {
  return (
    <>
      <ol className="proposals">
        {found.proposals.map((proposal, i) => (
          <li key={i}>
            <h2>{sentence(proposal.what)}</h2>
            {proposal.tables.map((table) => (
              <figure key={table.table}>
                <figcaption>{table.table}</figcaption>
                <RowsTable columns={table.columns} rows={table.rows} />
              </figure>
            ))}
            <WrongAnswers of={proposal.tells} label="Tells apart" />
          </li>
        ))}
      </ol>
      {found.left.length > 0 && <WrongAnswers of={found.left} label="No rows were found for" />}
      {found.proposals.length > 0 && (
        <details>
          <summary>The variant’s script</summary>
          <SqlView label="The variant’s script" text={found.script} />
        </details>
      )}
    </>
  );
}

function WrongAnswers({ of, label }: { of: Told[]; label: string }) {
  return (
    <>
      <h3>{label}</h3>
      {of.map((told, i) => (
        <div key={i} className="told">
          <p>
            {told.exercise}: {told.survivor.sentence}
          </p>
          <WrongAnswer edit={told.survivor.edit} short />
        </div>
      ))}
    </>
  );
}

const sentence = (text: string) => text.charAt(0).toUpperCase() + text.slice(1);
