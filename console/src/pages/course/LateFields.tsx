import type { Schemas } from "../../api/client";
import { Button } from "../../parts/Button";

type Late = NonNullable<Schemas["PaperRules"]["late"]>;

interface Props {
  late?: Late;
  onChange(late?: Late): void;
}

/** What is accepted after the due time, and what is taken off for it: nothing, per hour, or in steps. */
export function LateFields({ late, onChange }: Props) {
  const way = !late?.minutes ? "none" : late.steps?.length ? "steps" : "hour";
  function choose(next: string) {
    if (next === "none") onChange(undefined);
    else if (next === "hour") onChange({ minutes: late?.minutes || 48 * 60, per_hour: 0 });
    else onChange({ minutes: 24 * 60, steps: [{ minutes: 24 * 60, percent: 20 }] });
  }
  return (
    <>
      <label>
        After the due time{" "}
        <select value={way} onChange={(event) => choose(event.target.value)}>
          <option value="none">nothing is accepted</option>
          <option value="hour">accepted, with a deduction for each hour</option>
          <option value="steps">accepted, with a deduction in steps</option>
        </select>
      </label>
      {way === "hour" && (
        <>
          <Hours
            label="For how many hours"
            value={late!.minutes}
            onChange={(minutes) => onChange({ ...late!, minutes })}
          />
          <Percent
            label="Off the mark, % an hour"
            value={late!.per_hour ?? 0}
            onChange={(per_hour) => onChange({ ...late!, per_hour })}
          />
        </>
      )}
      {way === "steps" && <Steps steps={late!.steps!} onChange={(steps) => onChange(ending(steps))} />}
    </>
  );
}

type Step = Schemas["LateStep"];

/** The last step ends with the grace period. */
function ending(steps: Step[]): Late {
  return { minutes: steps[steps.length - 1].minutes, steps };
}

function Steps({ steps, onChange }: { steps: Step[]; onChange(steps: Step[]): void }) {
  const set = (at: number, change: Partial<Step>) =>
    onChange(steps.map((step, i) => (i === at ? { ...step, ...change } : step)));
  const last = steps[steps.length - 1];
  return (
    <fieldset>
      <legend>Steps</legend>
      {steps.map((step, i) => (
        <p key={i} className="late-step">
          <Hours label="Up to so many hours late" value={step.minutes} onChange={(minutes) => set(i, { minutes })} />
          <Percent label="% off" value={step.percent} onChange={(percent) => set(i, { percent })} />
          {steps.length > 1 && (
            <Button size="small" onClick={() => onChange(steps.filter((_, at) => at !== i))}>
              Take out
            </Button>
          )}
        </p>
      ))}
      <Button
        size="small"
        onClick={() =>
          onChange([...steps, { minutes: last.minutes + 24 * 60, percent: Math.min(last.percent + 20, 100) }])
        }
      >
        Another step
      </Button>
    </fieldset>
  );
}

function Hours({ label, value, onChange }: { label: string; value: number; onChange(minutes: number): void }) {
  return (
    <label>
      {label}{" "}
      <input
        type="number"
        required
        min={0.25}
        step={0.25}
        value={value / 60 || ""}
        onChange={(event) => onChange(Math.round(Number(event.target.value) * 60))}
      />
    </label>
  );
}

function Percent({ label, value, onChange }: { label: string; value: number; onChange(percent: number): void }) {
  return (
    <label>
      {label}{" "}
      <input
        type="number"
        required
        min={0}
        max={100}
        value={value}
        onChange={(event) => onChange(Number(event.target.value))}
      />
    </label>
  );
}
