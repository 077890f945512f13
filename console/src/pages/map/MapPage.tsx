import { useQuery } from "@tanstack/react-query";
import { ReactFlowProvider } from "@xyflow/react";
import { Link, useParams, useSearchParams } from "react-router";
import { answer, api } from "../../api/client";
import { Waiting } from "../../parts/Waiting";
import { TableMap } from "./TableMap";
import { useTitle } from "../../parts/useTitle";

/** The map of a dataset's tables, over the whole window. */
export function MapPage({ dark }: { dark: boolean }) {
  const { dataset = "" } = useParams();
  useTitle(`Map of ${dataset}`);
  const [search, setSearch] = useSearchParams();
  const table = search.get("table") ?? "";
  const map = useQuery({
    queryKey: ["map", dataset, table],
    queryFn: () => answer(api.GET("/api/datasets/{dataset}/map", { params: { path: { dataset }, query: { table } } })),
    staleTime: Infinity,
  });
  return (
    <section className="map-page">
      <Waiting query={map} page="The map">
        {(drawn) =>
          typeof drawn === "string" ? null : (
            <ReactFlowProvider key={table}>
              <TableMap
                dataset={dataset}
                table={table}
                map={drawn}
                dark={dark}
                onAround={(name) => setSearch(name ? { table: name } : {})}
                head={
                  <>
                    <Link to={`/datasets/${dataset}`}>{dataset}</Link>
                    {table && (
                      <span>
                        : <code>{table}</code> and its neighbours ·{" "}
                        <Link to={`/datasets/${dataset}/map`}>whole map</Link>
                      </span>
                    )}
                  </>
                }
              />
            </ReactFlowProvider>
          )
        }
      </Waiting>
    </section>
  );
}
