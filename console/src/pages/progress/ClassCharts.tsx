import type { ComponentProps } from "react";
import type { Schemas } from "../../api/client";
import { Chart } from "../../parts/Chart";

type Bars = ComponentProps<typeof Chart>;

/** Attempts and time until an exercise was solved, and the first tries over time. */
export function ClassCharts({ of }: { of: Schemas["Class"] }) {
  const charts = [attempts(of), time(of), firsts(of)].filter((bars) => bars.names.length > 0);
  return (
    <div className="class-charts">
      {charts.map((bars) => (
        <Chart key={bars.title} {...bars} />
      ))}
    </div>
  );
}

function attempts({ tries }: Schemas["Class"]): Bars {
  return {
    title: "Attempts until it was solved, or so far",
    across: "attempts",
    names: tries.map((bar) => `${bar.attempts}`),
    series: [
      { name: "solved", data: tries.map((bar) => bar.solved) },
      { name: "not solved", data: tries.map((bar) => bar.unsolved) },
    ],
  };
}

const edges = [1, 2, 5, 10, 20, 30, 60, 120]; // minutes

function time({ worked }: Schemas["Class"]): Bars {
  const counts = Array.from({ length: edges.length + 1 }, () => 0);
  for (const seconds of worked) {
    const at = edges.findIndex((edge) => seconds <= edge * 60);
    counts[at < 0 ? edges.length : at]++;
  }
  const last = counts.findLastIndex((n) => n > 0);
  const names = [...edges.map((edge, i) => `${i === 0 ? 0 : edges[i - 1]}–${edge}`), "more"].slice(0, last + 1);
  return {
    title: "Time until it was solved",
    across: "minutes of work",
    names,
    series: [{ name: "learners", data: counts.slice(0, last + 1) }],
  };
}

function firsts({ firsts: days }: Schemas["Class"]): Bars {
  const day = (iso: string) =>
    new Date(`${iso}T12:00:00Z`).toLocaleDateString("en-GB", { day: "numeric", month: "short", timeZone: "UTC" });
  return {
    title: "First tries",
    across: "day",
    names: days.map((d) => day(d.day)),
    series: [
      { name: "correct", data: days.map((d) => d.correct) },
      { name: "not correct", data: days.map((d) => d.other) },
    ],
  };
}
