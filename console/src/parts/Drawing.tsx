import { BarChart, LineChart, ScatterChart } from "echarts/charts";
import { AriaComponent, GridComponent, LegendComponent, TooltipComponent } from "echarts/components";
import * as echarts from "echarts/core";
import { CanvasRenderer } from "echarts/renderers";
import { useEffect, useImperativeHandle, useRef, type Ref } from "react";

echarts.use([
  BarChart,
  LineChart,
  ScatterChart,
  GridComponent,
  LegendComponent,
  TooltipComponent,
  AriaComponent,
  CanvasRenderer,
]);

export type Option = echarts.EChartsCoreOption;

interface Props {
  option: Option;
  /** What it shows, in words. */
  said: string;
  /** The second of two colours says nothing of right and wrong. */
  neutral?: boolean;
  ref?: Ref<Picture>;
}

export interface Picture {
  /** The picture as the address of a PNG, on the colour of the page. */
  png(): string;
}

/** A picture drawn by ECharts, in the colours of the look. */
export default function Drawing({ option, said, neutral = false, ref }: Props) {
  const place = useRef<HTMLDivElement>(null);
  const chart = useRef<echarts.ECharts>(null);
  useImperativeHandle(ref, () => ({
    png: () =>
      chart.current!.getDataURL({
        type: "png",
        pixelRatio: 2,
        backgroundColor: getComputedStyle(document.documentElement).getPropertyValue("--paper").trim(),
      }),
  }));
  useEffect(() => {
    const made = echarts.init(place.current);
    chart.current = made;
    const fit = new ResizeObserver(() => made.resize());
    fit.observe(place.current!);
    return () => {
      fit.disconnect();
      made.dispose();
    };
  }, []);
  useEffect(() => {
    const style = getComputedStyle(document.documentElement);
    const colour = (name: string) => style.getPropertyValue(name).trim();
    chart.current?.setOption(
      {
        ...option,
        color: [colour("--action"), colour(neutral ? "--quiet" : "--wrong")],
        textStyle: { color: colour("--ink"), fontFamily: "system-ui, sans-serif" },
        animation: false,
      },
      true,
    );
  });
  return <div ref={place} className="chart-place" role="img" aria-label={said} />;
}
