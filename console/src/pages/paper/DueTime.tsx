import { useEffect, useState } from "react";
import { serviceNow } from "../../api/client";
import { dueTime, timeIn, timeLeft } from "../../parts/words";

const hour = 3600_000;
const minute = 60_000;

interface Props {
  due: string;
  /** Of the course; where it is another than one's own, the time is told in both. */
  zone?: string;
  closed: boolean;
}

/** When a paper is due, and what is left of it; the last hour is counted down, by the service's clock. */
export function DueTime({ due, zone, closed }: Props) {
  const [now, setNow] = useState(serviceNow);
  const left = Date.parse(due) - now;
  useEffect(() => {
    if (closed || left < 0) return;
    const until = left > hour ? Math.min(left - hour, hour) : left > 2 * minute ? left % minute : left % 1000;
    const timer = setTimeout(() => setNow(serviceNow()), until + 20);
    return () => clearTimeout(timer);
  }, [left, closed]);
  const there = zone && timeIn(due, zone);
  return (
    <>
      {closed ? "Closed on" : "Due"} {dueTime(due)}
      {there && ` (${there} in the course)`}
      {!closed &&
        (left > hour ? (
          `, in ${timeLeft(left)}`
        ) : (
          <strong>
            {left > 0 ? `, in ${timeLeft(left)}` : ", which is now"}. What the service receives in time counts
          </strong>
        ))}
      .{" "}
    </>
  );
}
