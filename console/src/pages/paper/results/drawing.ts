import type { Rows } from "../../../api/client";
import { asShown, isNumber, type Column } from "../../../parts/grid/values";

export type Kind = "bar" | "line" | "scatter";

export const kinds: [Kind, string][] = [
  ["bar", "bars"],
  ["line", "a line"],
  ["scatter", "points"],
];

/** Which columns are drawn, by their places, and how. */
export interface Choice {
  kind: Kind;
  across: number;
  up: number[]; // one or two
}

const isTime = (type: string) => /^(date|timestamp)/.test(type);

/** What suits the types: lines over time, bars over texts, points for numbers over numbers. */
export function suited(columns: Column[]): Choice {
  const numbers = columns.flatMap((c, i) => (isNumber(c.type) ? [i] : []));
  const time = columns.findIndex((c) => isTime(c.type));
  const text = columns.findIndex((c) => !isNumber(c.type));
  const across = time >= 0 ? time : text >= 0 ? text : numbers[0];
  const up = numbers.filter((i) => i !== across).slice(0, time >= 0 || text >= 0 ? 2 : 1);
  const kind = time >= 0 ? "line" : text >= 0 || numbers.length === 1 ? "bar" : "scatter";
  return { kind, across, up: up.length ? up : [numbers[0]] };
}

/** The most rows that are drawn. */
const mostDrawn = 2000;

/** What ECharts is to draw, and the same in words. */
export function drawing(columns: Column[], rows: Rows, { kind, across, up }: Choice) {
  const drawn = rows.slice(0, mostDrawn);
  const { name, type } = columns[across];
  const axis = isTime(type) ? "time" : isNumber(type) && kind !== "bar" ? "value" : "category";
  const value = (cell: string | null) => (cell === null ? null : Number(cell));
  const at = (row: Rows[number]) =>
    axis === "value"
      ? value(row[across])
      : (asShown(row[across], type) ?? "NULL").replace(" ", axis === "time" ? "T" : " ");
  const sorted = axis === "time" ? [...drawn].sort((a, b) => String(at(a)).localeCompare(String(at(b)))) : drawn;
  const series = up.map((i) => ({
    type: kind,
    name: columns[i].name,
    symbolSize: 7,
    data: axis === "category" ? sorted.map((row) => value(row[i])) : sorted.map((row) => [at(row), value(row[i])]),
  }));
  const word = kinds.find(([k]) => k === kind)![1];
  const cut = rows.length > mostDrawn ? `, the first ${mostDrawn.toLocaleString("en")} rows` : "";
  return {
    option: {
      aria: { enabled: true, decal: { show: up.length > 1 } },
      tooltip: { trigger: kind === "scatter" ? "item" : "axis", confine: true },
      legend: up.length > 1 ? { top: 0 } : undefined,
      grid: { left: 12, right: 16, top: up.length > 1 ? 34 : 26, bottom: 30, containLabel: true },
      xAxis: {
        type: axis,
        name,
        nameLocation: "middle",
        nameGap: 28,
        scale: true,
        data: axis === "category" ? sorted.map(at) : undefined,
      },
      yAxis: { type: "value", name: up.length === 1 ? columns[up[0]].name : "", scale: kind === "scatter" },
      series,
    },
    said: `${up.map((i) => columns[i].name).join(" and ")} by ${name}, as ${word}${cut}.`,
  };
}
