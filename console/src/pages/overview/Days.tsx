import type { Schemas } from "../../api/client";
import { Chart } from "../../parts/Chart";

/** What was done on the last days. */
export function Days({ of: { days } }: { of: Schemas["Overview"] }) {
  const name = (iso: string) =>
    new Date(`${iso}T12:00:00Z`).toLocaleDateString("en-GB", { day: "numeric", month: "short", timeZone: "UTC" });
  const names = days.map((day) => name(day.day));
  return (
    <>
      <h2>The last days</h2>
      <div className="class-charts">
        <Chart
          neutral
          title="What was done"
          across="day"
          names={names}
          series={[
            { name: "attempts", data: days.map((day) => day.attempts) },
            { name: "runs", data: days.map((day) => day.runs) },
          ]}
        />
        <Chart
          title="Learners at work"
          across="day"
          names={names}
          series={[{ name: "learners", data: days.map((day) => day.learners) }]}
        />
      </div>
    </>
  );
}
