import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { Link, useParams } from "react-router";
import { answer, api, problemOf, type Job, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { useJob } from "../../parts/useJob";
import { useTitle } from "../../parts/useTitle";
import { Waiting } from "../../parts/Waiting";
import { count } from "../../parts/words";
import { CheckNote, Strengths } from "../paper/PaperCheck";
import { Lines } from "../paper/Lines";
import { WhatChanges } from "./WhatChanges";

type Publication = Schemas["Publication"];

/** What publishing a paper would change, and for whom; and publishing it. */
export function PublishPage() {
  const { paper = "" } = useParams();
  useTitle("Publish");
  const path = { paper };
  const would = useQuery({
    queryKey: ["publication", paper],
    queryFn: () => answer(api.GET("/api/papers/{paper}/publication", { params: { path } })),
    gcTime: 0,
  });
  return (
    <section className="page publish">
      <h1>Publish {would.data?.title ?? paper}</h1>
      <p>
        <Link to={`/papers/${paper}/write`}>Back to writing</Link> ·{" "}
        <Link to={`/papers/${paper}/versions`}>Versions</Link>
      </p>
      <Waiting query={would}>{(data) => <Would key={data.revision} would={data} paper={paper} />}</Waiting>
    </section>
  );
}

function Would({ would, paper }: { would: Publication; paper: string }) {
  const queries = useQueryClient();
  const [note, setNote] = useState("");
  const path = { paper };
  const begin = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/papers/{paper}/publication", { params: { path }, body: { revision: would.revision, note } }),
      ),
  });
  const confirm = useMutation({
    mutationFn: (job: string) => answer(api.POST("/api/jobs/{job}/confirm", { params: { path: { job } } })),
  });
  const stop = useMutation({
    mutationFn: (job: string) => answer(api.POST("/api/jobs/{job}/stop", { params: { path: { job } } })),
    onSuccess: () => begin.reset(),
  });
  const { job, problem } = useJob(begin.data?.id ?? null);
  const wrong = begin.error ?? confirm.error;
  const failed = wrong ? problemOf(wrong) : (problem ?? (job?.state === "failed" ? job.problem : undefined));
  const ended = job && ["done", "failed", "stopped"].includes(job.state);
  const going = begin.isPending || (begin.data !== undefined && !failed && !ended && job?.state !== "asking");
  const done = job?.state === "done";
  useEffect(() => {
    if (done) void queries.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== "publication" });
  }, [done, queries]);
  if (done) return <Published job={job} paper={paper} />;
  const nothing = would.was === would.is;
  return (
    <>
      <WhatChanges would={would} />
      {would.wrong.map((error, i) => (
        <p key={i} className="check-note" data-severity="error">
          <strong>Cannot be published yet</strong>, line {error.line}: {error.detail}
        </p>
      ))}
      {!nothing && (
        <p className="actions">
          <label>
            What was changed, in a few words{" "}
            <input value={note} maxLength={400} onChange={(event) => setNote(event.target.value)} />
          </label>
          <Button
            type="primary"
            loading={going}
            disabled={would.wrong.length > 0 || job?.state === "asking"}
            onClick={() => begin.mutate()}
          >
            Publish
          </Button>
          <span className="quiet" role="status">
            {going && `${job?.progress.step || "Waiting for its turn"} …`}
          </span>
        </p>
      )}
      {failed && (
        <>
          <ProblemNote problem={failed} />
          <Button
            size="small"
            onClick={() => {
              begin.reset();
              void queries.invalidateQueries({ queryKey: ["publication", paper] });
            }}
          >
            Look again
          </Button>
        </>
      )}
      {job?.state === "asking" && (
        <section aria-label="What the examiner finds" role="alert">
          <p>
            <strong>The examiner finds {count(job.report?.check?.errors ?? 0, "error")}.</strong> Nothing is published
            yet.
          </p>
          {job.report?.check?.notes.map((remark, i) => (
            <CheckNote key={i} note={remark} />
          ))}
          <p className="actions">
            <Button onClick={() => stop.mutate(job.id)}>Go back to it</Button>
            <Button onClick={() => confirm.mutate(job.id)}>Publish it all the same</Button>
          </p>
        </section>
      )}
      {!nothing && !would.first && (
        <>
          <h2>The text, line by line</h2>
          <Lines from={would.was} to={would.is} around={3} />
        </>
      )}
    </>
  );
}

function Published({ job, paper }: { job: Job; paper: string }) {
  const weak = job.report?.check?.strengths?.filter((e) => e.strength.survivors.length > 0) ?? [];
  return (
    <>
      <p role="status">
        <strong>Published, as version {job.report?.version}.</strong>{" "}
        <Link to={`/papers/${paper}`}>See it as learners do</Link>
      </p>
      {weak.length > 0 && (
        <>
          <p>Wrong answers would pass:</p>
          <Strengths paper={paper} of={weak} />
        </>
      )}
    </>
  );
}
