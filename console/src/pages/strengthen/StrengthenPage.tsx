import { useEffect, useState } from "react";
import { useQueryClient } from "@tanstack/react-query";
import { Link, useParams, useSearchParams } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { RunningJob } from "../../parts/RunningJob";
import { useCall } from "../../parts/useCall";
import { useJob } from "../../parts/useJob";
import { useTitle } from "../../parts/useTitle";
import { count } from "../../parts/words";
import { Proposals } from "./Proposals";

type Strengthening = Schemas["Strengthening"];

/** Rows that tell wrong answers from right ones: they are searched for, shown, and added as a variant. */
export function StrengthenPage() {
  const { paper = "" } = useParams();
  const [search, setSearch] = useSearchParams();
  useTitle("Rows that would tell");
  const [variant, setVariant] = useState("");
  const { call, problem, busy } = useCall();
  const id = search.get("job");
  const { job, problem: lost } = useJob(id);
  const running = job !== null && ["queued", "running", "stopping"].includes(job.state);
  const found = job?.state === "done" ? job.report?.strengthening : undefined;
  const wrong = problem ?? lost ?? job?.problem;
  const begin = () =>
    call(async () => {
      const begun = await answer(
        api.POST("/api/papers/{paper}/strengthening", { params: { path: { paper } }, body: { variant } }),
      );
      setSearch({ job: begun.id }, { replace: true });
    });
  return (
    <section className="page strengthen">
      <h1>Rows that would tell: {paper}</h1>
      <p className="quiet">
        Wrong answers that the data do not tell from right ones would be marked right. Rows of a variant tell them:
        learners never see it, and their answers are checked on it, too.{" "}
        <Link to={`/papers/${paper}/write`}>Back to writing</Link>
      </p>
      {!running && (
        <form
          className="course-form"
          aria-label="Search for rows"
          onSubmit={(event) => {
            event.preventDefault();
            void begin();
          }}
        >
          <label>
            For the variant{" "}
            <input
              value={variant}
              maxLength={64}
              placeholder="a new one"
              onChange={(event) => setVariant(event.target.value)}
            />
          </label>
          <p className="actions">
            <Button type={found ? undefined : "primary"} htmlType="submit" loading={busy}>
              {found ? "Search again" : "Search for rows"}
            </Button>
          </p>
        </form>
      )}
      {wrong && <ProblemNote problem={wrong} />}
      {running && (
        <RunningJob
          job={job}
          onStop={() =>
            void call(() => answer(api.POST("/api/jobs/{job}/stop", { params: { path: { job: job.id } } })))
          }
        />
      )}
      {job?.state === "stopped" && <p role="status">Stopped; nothing was added.</p>}
      {found && <Found key={job?.id} found={found} job={job!.id} />}
    </section>
  );
}

/** What was found, and adding it. */
function Found({ found, job }: { found: Strengthening; job: string }) {
  const queries = useQueryClient();
  const { call, problem, busy } = useCall();
  const [adding, setAdding] = useState<string | null>(null);
  const { job: added, problem: lost } = useJob(adding);
  const done = added?.state === "done";
  useEffect(() => {
    if (done) void queries.invalidateQueries();
  }, [done, queries]);
  const add = () =>
    call(async () => {
      const begun = await answer(
        api.POST("/api/datasets/{dataset}/variants", { params: { path: { dataset: found.dataset } }, body: { job } }),
      );
      setAdding(begun.id);
    });
  const wrong = problem ?? lost ?? added?.problem;
  const going = busy || (adding !== null && !wrong && !done);
  if (found.proposals.length + found.left.length === 0)
    return <p role="status">There is nothing to add: no wrong answer that was tried would pass.</p>;
  return (
    <>
      <Proposals found={found} />
      {wrong && <ProblemNote problem={wrong} />}
      {done ? (
        <p role="status">
          <strong>
            The variant {found.variant} of {found.dataset} has the rows, as of build {added.report?.datasets[0]?.build}.
          </strong>{" "}
          The pack {added.report?.pack} has them, too, when it is exported.
        </p>
      ) : (
        found.proposals.length > 0 && (
          <p className="actions">
            <Button type="primary" loading={going} onClick={() => void add()}>
              {found.new ? "Add them as the variant" : "Add them to the variant"} {found.variant}
            </Button>
            <span className="quiet" role="status">
              {going ? `${added?.progress.step || "Waiting for its turn"} …` : rowsOf(found)}
            </span>
          </p>
        )
      )}
    </>
  );
}

function rowsOf(found: Strengthening) {
  const rows = found.proposals.flatMap((p) => p.tables).reduce((n, table) => n + table.rows.length, 0);
  return `${count(rows, "row")}. ${found.dataset} is built anew with them.`;
}
