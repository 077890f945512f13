import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { useCall } from "../../parts/useCall";
import { moment } from "../../parts/words";

/** An address at which a calendar program reads when one's papers are due. */
export function OwnCalendar() {
  const [address, setAddress] = useState<string>();
  const { call, problem, busy } = useCall("calendar");
  const own = useQuery({ queryKey: ["calendar"], queryFn: () => answer(api.GET("/api/calendar")) });
  const make = async () => {
    const made = await call(() => answer(api.POST("/api/calendar")));
    if (made) setAddress(location.origin + made.path);
  };
  const remove = async () => {
    if (await call(() => answer(api.DELETE("/api/calendar")).then(() => true))) setAddress(undefined);
  };
  const made = own.data?.made;
  return (
    <section>
      <h2>Due times in a calendar</h2>
      <p>
        A calendar program can read when your papers are due, at an address that only you know.{" "}
        {made && !address && `One was made ${moment(made)}; it is not shown again.`}
      </p>
      {address && (
        <p role="status">
          Subscribe to this address. It is not shown again, and whoever knows it can read your due times: <br />
          <code className="address">{address}</code>
        </p>
      )}
      <p className="actions">
        <Button loading={busy} onClick={() => void make()}>
          {made ? "Make a new address" : "Make an address"}
        </Button>
        {made && (
          <Button loading={busy} onClick={() => void remove()}>
            Take it back
          </Button>
        )}
      </p>
      {problem && <ProblemNote problem={problem} />}
    </section>
  );
}
