import { Button } from "../../parts/Button";
import type { Schemas } from "../../api/client";
import { SqlView } from "../../parts/sql/SqlView";
import { moment } from "../../parts/words";

interface Props {
  ours: string;
  theirs?: Schemas["Draft"];
  onSettle(take: "ours" | "theirs"): void;
}

/** Two windows have changed one answer: both texts, to choose from. */
export function TwoVersions({ ours, theirs, onSettle }: Props) {
  return (
    <section className="beside two-versions" aria-label="Two versions of your answer">
      <div>
        <h3>In this window</h3>
        <SqlView label="The version in this window" text={ours} />
        <Button size="small" onClick={() => onSettle("ours")}>
          Keep this one
        </Button>
      </div>
      <div>
        <h3>From another window{theirs && `, saved ${moment(theirs.kept)}`}</h3>
        <SqlView label="The version from another window" text={theirs?.sql ?? ""} />
        <Button size="small" onClick={() => onSettle("theirs")}>
          Use the other version
        </Button>
      </div>
    </section>
  );
}
