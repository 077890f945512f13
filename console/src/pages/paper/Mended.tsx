import { Button } from "../../parts/Button";

/** Says that what was pasted has been mended, and brings it back as it was. */
export function Mended({ undo, onDone }: { undo(): void; onDone(): void }) {
  return (
    <p className="quiet" role="status">
      Typographic quotes, dashes and spaces in what you pasted were replaced by those that SQL has.{" "}
      <Button
        size="small"
        onClick={() => {
          undo();
          onDone();
        }}
      >
        Undo
      </Button>
    </p>
  );
}
