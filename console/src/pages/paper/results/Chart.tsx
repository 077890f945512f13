import { useRef, useState } from "react";
import { Button } from "../../../parts/Button";
import Drawing, { type Picture } from "../../../parts/Drawing";
import type { Rows } from "../../../api/client";
import { download } from "../../../parts/download";
import { isNumber, type Column } from "../../../parts/grid/values";
import { drawing, kinds, suited, type Choice, type Kind } from "./drawing";

const none = -1;

/** A result as bars, a line or points. */
export function Chart({ columns, rows }: { columns: Column[]; rows: Rows }) {
  const [choice, setChoice] = useState<Choice>(() => suited(columns));
  const picture = useRef<Picture>(null);
  const numbers = names(columns).filter(([i]) => isNumber(columns[i].type));
  const { option, said } = drawing(columns, rows, choice);
  const set = (next: Partial<Choice>) => setChoice({ ...choice, ...next });
  const save = () => download("chart.png", picture.current!.png());
  return (
    <section className="chart" aria-label="The result as a picture">
      <p className="tools-line">
        <Pick label="As" value={choice.kind} options={kinds} onPick={(kind) => set({ kind: kind as Kind })} />
        <Pick label="across" value={choice.across} options={names(columns)} onPick={(v) => set({ across: +v })} />
        <Pick label="up" value={choice.up[0]} options={numbers} onPick={(v) => set({ up: [+v, choice.up[1]] })} />
        <Pick
          label="and"
          value={choice.up[1] ?? none}
          options={[[none, "nothing else"], ...numbers]}
          onPick={(v) => set({ up: +v === none ? [choice.up[0]] : [choice.up[0], +v] })}
        />
        <Button size="small" onClick={save}>
          Save as PNG
        </Button>
      </p>
      <Drawing option={option} said={said} ref={picture} />
      <p className="quiet">{said}</p>
    </section>
  );
}

const names = (columns: Column[]): [number, string][] => columns.map((c, i) => [i, c.name]);

function Pick(props: {
  label: string;
  value: string | number;
  options: (readonly [string | number, string])[];
  onPick(value: string): void;
}) {
  return (
    <label>
      {props.label}{" "}
      <select className="look" value={props.value} onChange={(event) => props.onPick(event.target.value)}>
        {props.options.map(([value, name]) => (
          <option key={value} value={value}>
            {name}
          </option>
        ))}
      </select>
    </label>
  );
}
