import { lazy, Suspense } from "react";
import type { Option } from "./Drawing";

const Drawing = lazy(() => import("./Drawing"));

interface Props {
  title: string;
  /** What the bars stand above, and what is counted. */
  across: string;
  names: string[];
  series: { name: string; data: number[] }[];
  /** The second of two series says nothing of right and wrong. */
  neutral?: boolean;
}

/** Bars with a title, and the same in words for those who do not see them. */
export function Chart(bars: Props) {
  return (
    <figure>
      <figcaption>{bars.title}</figcaption>
      <Suspense fallback={<div className="chart-place" />}>
        <Drawing option={option(bars)} said={inWords(bars)} neutral={bars.neutral} />
      </Suspense>
    </figure>
  );
}

function option({ across, names, series }: Props): Option {
  return {
    grid: { left: 36, right: 12, top: series.length > 1 ? 30 : 12, bottom: 42 },
    legend: series.length > 1 ? { top: 0, right: 0, itemWidth: 14 } : undefined,
    tooltip: { trigger: "axis" },
    xAxis: { type: "category", data: names, name: across, nameLocation: "middle", nameGap: 26 },
    yAxis: { type: "value", minInterval: 1 },
    series: series.map((one) => ({ ...one, type: "bar", stack: "all" })),
  };
}

function inWords({ title, names, across, series }: Props) {
  const bars = names.map((name, i) => `${name}: ${series.map((one) => `${one.data[i]} ${one.name}`).join(", ")}`);
  return `${title}, by ${across}. ${bars.join("; ")}.`;
}
