import { useQuery } from "@tanstack/react-query";
import { useSearchParams } from "react-router";
import { answer, api, type Schemas } from "../../api/client";
import { useTitle } from "../../parts/useTitle";
import { Waiting } from "../../parts/Waiting";
import { causes } from "./causes";
import { MarkingList } from "./MarkingList";

type Cause = Schemas["ReviewCause"];

/** The attempts that need somebody's eye, gone through one after another. */
export function MarkingPage() {
  useTitle("Marking");
  const [search, setSearch] = useSearchParams();
  const get = (name: string) => search.get(name) ?? undefined;
  const query = { course: get("course"), paper: get("paper"), cause: get("cause") as Cause | undefined };
  const papers = useQuery({ queryKey: ["papers"], queryFn: () => answer(api.GET("/api/papers")) });
  const reviews = useQuery({
    queryKey: ["reviews", query],
    queryFn: () => answer(api.GET("/api/reviews", { params: { query } })),
  });
  function set(name: string, value: string) {
    const next = new URLSearchParams(search);
    if (value) next.set(name, value);
    else next.delete(name);
    setSearch(next, { replace: true });
  }
  return (
    <section className="page wide marking">
      <h1>Marking</h1>
      <search className="filters">
        <label>
          Paper{" "}
          <select value={query.paper ?? ""} onChange={(event) => set("paper", event.target.value)}>
            <option value="">any</option>
            {papers.data?.map((paper) => (
              <option key={paper.slug} value={paper.slug} label={paper.title} />
            ))}
          </select>
        </label>
        <label>
          Why{" "}
          <select value={query.cause ?? ""} onChange={(event) => set("cause", event.target.value)}>
            <option value="">any reason</option>
            {Object.entries(causes).map(([cause, said]) => (
              <option key={cause} value={cause} label={said} />
            ))}
          </select>
        </label>
        {query.course && (
          <span>
            Only {query.course}.{" "}
            <button type="button" className="button button-link button-small" onClick={() => set("course", "")}>
              All courses
            </button>
          </span>
        )}
      </search>
      <Waiting query={reviews} page="The marking list">
        {(page) => <MarkingList key={search.toString()} reviews={page.reviews} more={page.next !== undefined} />}
      </Waiting>
    </section>
  );
}
