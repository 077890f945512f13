import { useState } from "react";
import { Button } from "../../parts/Button";
import { listOf, type Rules } from "./check";

interface Props {
  rule: "require" | "forbid";
  rules: Rules;
  /** Those that there are. */
  known: string[];
  /** What the accepted answer uses. */
  proposed: string[];
  onSet(key: string, value: unknown): void;
}

/** The constructs that an answer has to use, or must not. Those that the accepted answer uses are proposed. */
export function Constructs({ rule, rules, known, proposed, onSet }: Props) {
  const [typed, setTyped] = useState("");
  const list = listOf(rules, rule);
  const set = (next: string[]) => onSet(rule, next.length ? next : undefined);
  const add = (construct: string) => {
    if (construct && !list.includes(construct)) set([...list, construct]);
    setTyped("");
  };
  const words = rule === "require" ? "An answer has to use" : "An answer must not use";
  const rest = proposed.filter((construct) => !list.includes(construct) && !construct.startsWith("table:"));
  return (
    <div className="constructs" role="group" aria-label={words}>
      {words}:{" "}
      {list.map((construct) => (
        <Button
          key={construct}
          size="small"
          title="Take it out"
          aria-label={`Take ${construct} out`}
          onClick={() => set(list.filter((c) => c !== construct))}
        >
          {construct} ×
        </Button>
      ))}
      <input
        list="constructs"
        aria-label={`${words}: another construct`}
        value={typed}
        placeholder="group-by, table:hive …"
        onChange={(event) => setTyped(event.target.value.trim())}
        onKeyDown={(event) => event.key === "Enter" && add(typed)}
      />
      <datalist id="constructs">
        {known.map((construct) => (
          <option key={construct} value={construct} />
        ))}
      </datalist>
      <Button size="small" disabled={!typed} onClick={() => add(typed)}>
        Add
      </Button>
      {rest.length > 0 && (
        <span className="quiet">
          {" "}
          The accepted answer uses{" "}
          {rest.map((construct) => (
            <Button key={construct} type="link" size="small" onClick={() => add(construct)}>
              {construct}
            </Button>
          ))}
        </span>
      )}
    </div>
  );
}
