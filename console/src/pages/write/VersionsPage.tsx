import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { answer, api, problemOf, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { useTitle } from "../../parts/useTitle";
import { Waiting } from "../../parts/Waiting";
import { moment } from "../../parts/words";
import { Lines } from "../paper/Lines";

type Version = Schemas["PaperVersion"];

const origins: Record<Version["origin"], string> = {
  pack: "loaded with its pack",
  console: "published",
  kept: "kept, never published",
};

/** The versions of a paper: who made each, when, and what; how two differ; and the way back. */
export function VersionsPage() {
  const { paper = "" } = useParams();
  useTitle("Versions");
  const versions = useQuery({
    queryKey: ["versions", paper],
    queryFn: () => answer(api.GET("/api/papers/{paper}/versions", { params: { path: { paper } } })),
  });
  return (
    <section className="page versions">
      <h1>Versions of {paper}</h1>
      <p>
        <Link to={`/papers/${paper}/write`}>Back to writing</Link>
      </p>
      <Waiting query={versions}>{(list) => <Versions paper={paper} list={list} />}</Waiting>
    </section>
  );
}

function Versions({ paper, list }: { paper: string; list: Version[] }) {
  const navigate = useNavigate();
  const [from, setFrom] = useState(list.find((v) => v.published)?.version ?? list[0]?.version);
  const [to, setTo] = useState(0); // the text as it is being written
  const restore = useMutation({
    mutationFn: (version: number) =>
      answer(api.POST("/api/papers/{paper}/versions/{version}", { params: { path: { paper, version } } })),
    onSuccess: () => void navigate(`/papers/${paper}/write`),
  });
  if (list.length === 0) return <p className="quiet">There is none yet: the paper was never published.</p>;
  const choices = list.map((v) => (
    <option key={v.version} value={v.version}>
      version {v.version}
    </option>
  ));
  return (
    <>
      <ol className="version-list">
        {list.map((v) => (
          <li key={v.version}>
            <span>
              <strong>Version {v.version}</strong>
              {v.published && " (what learners see)"}: {origins[v.origin]}
              {v.by && ` by ${v.by}`}, {moment(v.at)}. {v.note}
            </span>{" "}
            <Button size="small" loading={restore.isPending} onClick={() => restore.mutate(v.version)}>
              Write it again
            </Button>
          </li>
        ))}
      </ol>
      {restore.error && <ProblemNote problem={problemOf(restore.error)} />}
      <h2>What differs</h2>
      <p>
        <label>
          From{" "}
          <select value={from} onChange={(event) => setFrom(Number(event.target.value))}>
            {choices}
          </select>
        </label>{" "}
        <label>
          to{" "}
          <select value={to} onChange={(event) => setTo(Number(event.target.value))}>
            <option value={0}>the text as it is being written</option>
            {choices}
          </select>
        </label>
      </p>
      <Compared paper={paper} from={from} to={to} />
    </>
  );
}

function Compared({ paper, from, to }: { paper: string; from: number; to: number }) {
  const texts = useQuery({
    queryKey: ["versions", paper, from, to],
    queryFn: () => Promise.all([textOf(paper, from), textOf(paper, to)]),
  });
  return <Waiting query={texts}>{([was, is]) => <Lines from={was} to={is} around={3} />}</Waiting>;
}

/** The text of a version; 0 is the one that is being written. */
function textOf(paper: string, version: number): Promise<string> {
  return version === 0
    ? answer(api.GET("/api/papers/{paper}/writing/text", { params: { path: { paper } }, parseAs: "text" }))
    : answer(
        api.GET("/api/papers/{paper}/versions/{version}", { params: { path: { paper, version } }, parseAs: "text" }),
      );
}
