import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { answer, api } from "../../api/client";
import { Waiting } from "../../parts/Waiting";
import { count } from "../../parts/words";
import { useSession } from "../../session";
import { BuildForm } from "./BuildForm";
import { LatestBuilds } from "./LatestBuilds";
import { Packs } from "./Packs";
import { useTitle } from "../../parts/useTitle";

export function DatasetsPage() {
  useTitle("Datasets");
  const { session } = useSession();
  const instructor = session!.account.role === "instructor";
  const datasets = useQuery({ queryKey: ["datasets"], queryFn: () => answer(api.GET("/api/datasets")) });
  return (
    <section className="page">
      <h1>Datasets</h1>
      <Waiting query={datasets}>
        {(list) => (
          <>
            {list.length === 0 && (
              <p className="quiet">
                {instructor
                  ? "No dataset is built yet. Build one below, from setup scripts or CSV files."
                  : "None of your papers has opened yet. With the first that does, its dataset stands here."}
              </p>
            )}
            <ul className="papers">
              {list.map((d) => (
                <li key={d.name}>
                  <h2>
                    <Link to={`/datasets/${d.name}`}>{d.title}</Link> <small>{d.name}</small>
                  </h2>
                  <p>
                    {count(d.tables, "table")}, {count(d.rows, "row")}.{" "}
                    <Link to={`/datasets/${d.name}/map`}>Map of the tables</Link>
                  </p>
                </li>
              ))}
            </ul>
          </>
        )}
      </Waiting>
      {instructor && (
        <>
          <BuildForm />
          <Packs />
          <LatestBuilds />
        </>
      )}
    </section>
  );
}
