import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { Link, useLocation, useParams } from "react-router";
import { Button } from "../../parts/Button";
import { answer, api, problemOf, type Dataset } from "../../api/client";
import { ProblemNote } from "../../parts/ProblemNote";
import { Waiting } from "../../parts/Waiting";
import { bytes, count, moment } from "../../parts/words";
import { BuildDetails } from "../build/Report";
import { TableSection } from "./TableSection";
import { useTitle } from "../../parts/useTitle";

/** A dataset: its tables one below the other; for instructors its variants and builds too. */
export function DatasetPage() {
  const { dataset: name = "" } = useParams();
  useTitle(name);
  const { hash } = useLocation();
  const dataset = useQuery({
    queryKey: ["dataset", name],
    queryFn: () => answer(api.GET("/api/datasets/{dataset}", { params: { path: { dataset: name } } })),
  });
  const loaded = dataset.data !== undefined;
  useEffect(() => {
    if (loaded && hash) document.getElementById(decodeURIComponent(hash.slice(1)))?.scrollIntoView();
  }, [loaded, hash]);
  return (
    <section className="page wide">
      <Waiting query={dataset} page="The dataset">
        {(d) => (
          <>
            <h1>{d.title}</h1>
            <p>
              {count(d.tables.filter((t) => !t.view).length, "table")}, {count(d.rows, "row")}.{" "}
              <Link to={`/datasets/${d.name}/map`}>Map of the tables</Link>
              {d.builds && (
                <>
                  {" · "}
                  <Link to={`/?dataset=${d.name}`}>Write a paper about it</Link>
                </>
              )}
            </p>
            <Contents dataset={d} />
            {d.tables.map((t) => (
              <TableSection key={t.name} dataset={d} table={t} />
            ))}
            {d.builds && <Builds dataset={d} />}
          </>
        )}
      </Waiting>
    </section>
  );
}

function Contents({ dataset }: { dataset: Dataset }) {
  return (
    <nav className="contents" aria-label="Tables">
      {dataset.tables.map((t) => (
        <a key={t.name} href={`#${encodeURIComponent(t.name)}`}>
          <code>{t.name}</code> <small>{t.view ? "view" : t.rows.toLocaleString("en")}</small>
        </a>
      ))}
    </nav>
  );
}

function Builds({ dataset }: { dataset: Dataset }) {
  const builds = dataset.builds ?? [];
  const queries = useQueryClient();
  const use = useMutation({
    mutationFn: (build: number) =>
      answer(api.POST("/api/datasets/{dataset}/use", { params: { path: { dataset: dataset.name } }, body: { build } })),
    onSuccess: () => queries.invalidateQueries(),
  });
  return (
    <section className="builds">
      <h2>Builds</h2>
      <p>
        {dataset.pack ? `It came with the pack ${dataset.pack}. ` : ""}
        {dataset.variants?.length
          ? `Answers are checked on the hidden variants ${dataset.variants.join(" and ")} too. `
          : "It has no variants. "}
        Build {dataset.build} is in use, {bytes(dataset.bytes)} on disk. Learners do not see this.
      </p>
      {use.error && <ProblemNote problem={problemOf(use.error)} />}
      {builds.map((b) => (
        <details key={b.number} open={b.in_use}>
          <summary>
            Build {b.number}, {moment(b.made)}
            {b.in_use ? ", in use" : b.kept ? "" : ", removed"}
          </summary>
          {b.kept && !b.in_use && (
            <Button size="small" loading={use.isPending} onClick={() => use.mutate(b.number)}>
              Return to build {b.number}
            </Button>
          )}
          <BuildDetails report={b.report} />
        </details>
      ))}
    </section>
  );
}
