import { useEffect, useState } from "react";
import { serviceNow } from "../../api/client";
import { count, dueTime } from "../../parts/words";

const hour = 3600_000;
const minute = 60_000;

/** When a paper is due; its last hour is counted down, by the service's clock. */
export function DueTime({ due, closed }: { due: string; closed: boolean }) {
  const [now, setNow] = useState(serviceNow);
  const left = Date.parse(due) - now;
  useEffect(() => {
    if (closed || left < 0) return;
    const until = left > hour ? left - hour : left > 2 * minute ? (left % minute) + 20 : (left % 1000) + 20;
    const timer = setTimeout(() => setNow(serviceNow()), Math.min(until, 2 ** 31 - 1));
    return () => clearTimeout(timer);
  }, [left, closed]);
  return (
    <>
      {closed ? "Closed on" : "Due"} {dueTime(due)}
      {!closed && left <= hour && (
        <strong>
          {left > 2 * minute
            ? `, in ${count(Math.ceil(left / minute), "minute")}`
            : left > 0
              ? `, in ${count(Math.ceil(left / 1000), "second")}`
              : ", which is now"}
          . What the service receives in time counts
        </strong>
      )}
      .{" "}
    </>
  );
}
