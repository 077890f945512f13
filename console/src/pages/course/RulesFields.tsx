import type { Schemas } from "../../api/client";
import { LateFields } from "./LateFields";
import { findings } from "./rules";

type Rules = Schemas["PaperRules"];

interface Props {
  rules: Rules;
  onChange(rules: Rules): void;
}

/** How marks come of attempts, and what learners are told when. */
export function RulesFields({ rules, onChange }: Props) {
  const set = (change: Partial<Rules>) => onChange({ ...rules, ...change });
  const exam = rules.examination;
  return (
    <>
      <label>
        Attempt that counts{" "}
        <select value={rules.counts ?? "best"} onChange={(e) => set({ counts: e.target.value as Rules["counts"] })}>
          <option value="best">the best</option>
          <option value="last">the last by the due time</option>
          <option value="first">the first</option>
        </select>
      </label>
      <label>
        Attempts at each exercise{" "}
        <input
          type="number"
          min={1}
          max={1000}
          placeholder="no limit"
          value={rules.attempts || ""}
          onChange={(e) => set({ attempts: Number(e.target.value) })}
        />
      </label>
      <label>
        Marks and findings are told{" "}
        <select value={rules.tell ?? "at-once"} onChange={(e) => set({ tell: e.target.value as Rules["tell"] })}>
          <option value="at-once">at once</option>
          <option value="after-due">after the due time</option>
          <option value="released">when I release them</option>
        </select>
      </label>
      <Check
        words="Show accepted answers once nobody can submit any more"
        checked={rules.answers ?? false}
        onChange={(answers) => set({ answers })}
      />
      {!exam && <LateFields late={rules.late} onChange={(late) => set({ late })} />}
      <Partial shares={rules.partial ?? {}} onChange={(partial) => set({ partial })} />
      <Check
        words="An examination, of a fixed length from when each learner begins"
        checked={exam !== undefined}
        onChange={(is) => set(is ? { examination: { minutes: 90 }, late: undefined } : { examination: undefined })}
      />
      {exam && (
        <>
          <label>
            Minutes{" "}
            <input
              type="number"
              required
              min={1}
              max={1440}
              value={exam.minutes || ""}
              onChange={(e) => set({ examination: { ...exam, minutes: Number(e.target.value) } })}
            />
          </label>
          <Check
            words="Each learner has the exercises in an order of their own"
            checked={exam.shuffle ?? false}
            onChange={(shuffle) => set({ examination: { ...exam, shuffle } })}
          />
        </>
      )}
    </>
  );
}

interface CheckProps {
  words: string;
  checked: boolean;
  onChange(checked: boolean): void;
}

function Check({ words, checked, onChange }: CheckProps) {
  return (
    <label className="check">
      <input type="checkbox" checked={checked} onChange={(event) => onChange(event.target.checked)} /> {words}
    </label>
  );
}

interface PartialProps {
  shares: Record<string, number>;
  onChange(shares: Record<string, number>): void;
}

/** What part of the points an answer is worth in which only one thing is wrong. */
function Partial({ shares, onChange }: PartialProps) {
  return (
    <details open={Object.keys(shares).length > 0}>
      <summary>Part of the points</summary>
      <p className="quiet">In per cent, for an answer in which nothing else is wrong. Left empty, it gets none.</p>
      <div className="partial">
        {Object.entries(findings).map(([kind, words]) => (
          <label key={kind}>
            {words}{" "}
            <input
              type="number"
              min={0}
              max={100}
              value={shares[kind] ?? ""}
              onChange={(e) => {
                const next = { ...shares };
                if (e.target.value === "") delete next[kind];
                else next[kind] = Number(e.target.value);
                onChange(next);
              }}
            />
          </label>
        ))}
      </div>
    </details>
  );
}
