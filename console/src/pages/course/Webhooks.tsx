import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, api, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { useCall } from "../../parts/useCall";
import { count, moment } from "../../parts/words";
import { Deliveries } from "./Deliveries";

/** Programs that are told the course's marks as they change. */
export function Webhooks({ course }: { course: string }) {
  const [url, setUrl] = useState("");
  const [made, setMade] = useState<Schemas["Webhook"]>();
  const { call, problem, busy } = useCall("webhooks");
  const path = { course };
  const hooks = useQuery({
    queryKey: ["webhooks", course],
    queryFn: () => answer(api.GET("/api/courses/{course}/webhooks", { params: { path } })),
  });
  async function add() {
    const added = await call(() =>
      answer(api.POST("/api/courses/{course}/webhooks", { params: { path }, body: { url } })),
    );
    if (!added) return;
    setMade(added);
    setUrl("");
  }
  return (
    <details className="webhooks">
      <summary>Webhooks: programs that are told each mark{hooks.data?.length ? ` (${hooks.data.length})` : ""}</summary>
      <p className="quiet">
        Each mark of the course is sent to the address as it changes: by POST, as JSON, signed as the Standard Webhooks
        specification says. A receiver that is down is told later, for up to a week.
      </p>
      {made && (
        <p role="status">
          The secret by which {made.url} knows that it comes from here, which is not shown again:{" "}
          <code>{made.secret}</code>
        </p>
      )}
      <ul>
        {hooks.data?.map((hook) => (
          <OneWebhook key={hook.id} course={course} hook={hook} />
        ))}
      </ul>
      <form
        className="course-form"
        aria-label="New webhook"
        onSubmit={(event) => {
          event.preventDefault();
          void add();
        }}
      >
        <label>
          Address
          <input type="url" required maxLength={1000} value={url} onChange={(event) => setUrl(event.target.value)} />
        </label>
        <p className="actions">
          <Button htmlType="submit" loading={busy} disabled={!url}>
            Tell it each mark
          </Button>
        </p>
        {problem && <ProblemNote problem={problem} />}
      </form>
    </details>
  );
}

function OneWebhook({ course, hook }: { course: string; hook: Schemas["Webhook"] }) {
  const [open, setOpen] = useState(false);
  const { call, problem, busy } = useCall("webhooks");
  const params = { path: { course, webhook: hook.id } };
  const remove = () => call(() => answer(api.DELETE("/api/courses/{course}/webhooks/{webhook}", { params })));
  return (
    <li>
      <p className="actions">
        <strong>{hook.url}</strong>
        <span className="quiet">
          {hook.by}, {moment(hook.at)}. {hook.waiting > 0 && `${count(hook.waiting, "mark")} to be told. `}
          {hook.failed > 0 && `${count(hook.failed, "mark")} given up.`}
        </span>
        <Button size="small" aria-expanded={open} onClick={() => setOpen(!open)}>
          What it was told
        </Button>
        <Button size="small" loading={busy} onClick={() => void remove()}>
          Remove
        </Button>
      </p>
      {open && <Deliveries course={course} webhook={hook.id} />}
      {problem && <ProblemNote problem={problem} />}
    </li>
  );
}
