import { Lines } from "../paper/Lines";
import { Button } from "../../parts/Button";
import type { WritingPart } from "../../work/paperText";

interface Props {
  ours: string;
  theirs: WritingPart | null;
  onSettle(take: "ours" | "theirs"): void;
}

/** A section that two have changed: both forms, and where they differ. */
export function BothForms({ ours, theirs, onSettle }: Props) {
  return (
    <section className="both-forms" role="alert" aria-label="Two forms of this section">
      <p>
        <strong>
          {theirs
            ? `${theirs.by || "Somebody"} has changed this section meanwhile.`
            : "Somebody has taken this section out meanwhile."}
        </strong>{" "}
        Nothing of either form is lost.
      </p>
      {theirs && (
        <>
          <p className="quiet">What is gone is of the other form; what is new is of yours.</p>
          <Lines from={theirs.text} to={ours} />
        </>
      )}
      <p>
        <Button size="small" onClick={() => onSettle("ours")}>
          {theirs ? "Keep my form" : "Add it again"}
        </Button>{" "}
        <Button size="small" onClick={() => onSettle("theirs")}>
          {theirs ? "Take the other form" : "Let it go"}
        </Button>
      </p>
    </section>
  );
}
