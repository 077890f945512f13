import { Button } from "../../parts/Button";

const words = { n: "Next", p: "Previous", m: "Mark …", w: "Write a note …", l: "Leave it as it is", u: "Undo" };

interface Props {
  keys: Record<string, () => void>;
  /** What would be undone. */
  last?: string;
  /** There is no attempt at hand. */
  none: boolean;
}

/** What can be done with the attempt at hand, each with its key. */
export function Keys({ keys, last, none }: Props) {
  return (
    <p className="actions" role="group" aria-label="What to do">
      {Object.entries(words).map(([key, word]) => (
        <Button key={key} size="small" disabled={key === "u" ? !last : none} onClick={keys[key]}>
          {word} <kbd>{key.toUpperCase()}</kbd>
        </Button>
      ))}
      {last && <span className="quiet">Last: {last}.</span>}
    </p>
  );
}
