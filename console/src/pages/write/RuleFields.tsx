import { listOf, type Rules } from "./check";

interface Props {
  rules: Rules;
  /** The variants of the dataset. */
  variants: string[];
  onSet(key: string, value: unknown): void;
}

/** Rules that are one of a few words: the first is the default, which is not written. */
const choices: { key: string; label: string; words: [string, string][] }[] = [
  {
    key: "show",
    label: "Before submitting, learners see",
    words: [
      ["columns", "the columns"],
      ["count", "columns and number of rows"],
      ["sample", "three rows, too"],
      ["rows", "the whole result"],
      ["nothing", "nothing"],
    ],
  },
  {
    key: "hints",
    label: "Of a mistake, learners are told",
    words: [
      ["kind", "where it is, and its kind"],
      ["clause", "where it is"],
      ["edit", "what would be right, too"],
      ["none", "nothing"],
    ],
  },
  {
    key: "order",
    label: "Order of rows",
    words: [
      ["auto", "as far as the answer orders them"],
      ["any", "does not matter"],
      ["strict", "has to be the answer's"],
    ],
  },
  {
    key: "columns",
    label: "Columns are paired",
    words: [
      ["position", "by position"],
      ["name", "by name"],
      ["any", "by content"],
    ],
  },
  {
    key: "names",
    label: "Names of columns",
    words: [
      ["ignore", "do not matter"],
      ["require", "have to be the answer's"],
    ],
  },
  {
    key: "repeats",
    label: "Repeated rows",
    words: [
      ["count", "count"],
      ["once", "count once"],
    ],
  },
  {
    key: "time",
    label: "Times",
    words: [
      ["instant", "are compared by instant"],
      ["strict", "have to be written alike"],
    ],
  },
];

/** What is said of an exercise in one word or number. */
export function RuleFields({ rules, variants, onSet }: Props) {
  const text = listOf(rules, "text");
  const on = rules.variants === undefined ? variants : listOf(rules, "variants");
  const fold = (word: string, is: boolean) => {
    const next = [...text.filter((w) => w !== word && w !== "exact"), ...(is ? [word] : [])];
    onSet("text", next.length > 1 ? next : next[0]);
  };
  return (
    <div className="rule-fields">
      <NumberField label="Points" rule="points" rules={rules} step="any" fallback={1} onSet={onSet} />
      <NumberField label="Attempts allowed" rule="attempts" rules={rules} step="1" onSet={onSet} />
      <NumberField label="Decimals that count" rule="decimals" rules={rules} step="1" onSet={onSet} />
      {choices.map(({ key, label, words }) => (
        <label key={key}>
          {label}{" "}
          <select
            value={listOf(rules, key)[0] ?? words[0][0]}
            onChange={(event) => onSet(key, event.target.value === words[0][0] ? undefined : event.target.value)}
          >
            {writtenOut(rules[key]) && <option value={String(rules[key])}>step by step, as written</option>}
            {words.map(([word, said]) => (
              <option key={word} value={word}>
                {said}
              </option>
            ))}
          </select>
        </label>
      ))}
      <span role="group" aria-label="Text">
        Text: <Tick label="letter case aside" checked={text.includes("fold")} onTick={(is) => fold("fold", is)} />{" "}
        <Tick label="outer blanks aside" checked={text.includes("trim")} onTick={(is) => fold("trim", is)} />
      </span>
      {variants.length > 0 && (
        <span role="group" aria-label="Variants">
          Checked also on:{" "}
          {variants.map((name) => (
            <Tick
              key={name}
              label={name}
              checked={on.includes(name)}
              onTick={(is) => {
                const next = variants.filter((v) => (v === name ? is : on.includes(v)));
                onSet("variants", next.length === variants.length ? undefined : next);
              }}
            />
          ))}
        </span>
      )}
    </div>
  );
}

/** Whether a rule is more than a word. */
function writtenOut(value: unknown) {
  return typeof value === "object" && value !== null && !Array.isArray(value);
}

function Tick({ label, checked, onTick }: { label: string; checked: boolean; onTick(is: boolean): void }) {
  return (
    <label>
      <input type="checkbox" checked={checked} onChange={(event) => onTick(event.target.checked)} /> {label}
    </label>
  );
}

interface NumberProps {
  label: string;
  rule: string;
  rules: Rules;
  step: string;
  /** What holds where nothing is written. */
  fallback?: number;
  onSet(key: string, value: unknown): void;
}

function NumberField({ label, rule, rules, step, fallback, onSet }: NumberProps) {
  const value = rules[rule] ?? fallback ?? "";
  return (
    <label>
      {label}{" "}
      <input
        type="number"
        min="0"
        step={step}
        value={String(value)}
        placeholder={fallback === undefined ? "any" : undefined}
        onChange={(event) => onSet(rule, event.target.value === "" ? undefined : Number(event.target.value))}
      />
    </label>
  );
}
