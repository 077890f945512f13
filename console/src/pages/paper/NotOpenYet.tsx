import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { answer, api, serviceNow, type Schemas } from "../../api/client";
import { Waiting } from "../../parts/Waiting";
import { count, dueTime, points, timeLeft } from "../../parts/words";
import { usePast } from "./usePast";

/** What stands in place of a paper before it opens. Once it does, the paper comes by itself. */
export function NotOpenYet({ paper: slug }: { paper: string }) {
  const papers = useQuery({ queryKey: ["papers"], queryFn: () => answer(api.GET("/api/papers")) });
  return (
    <section className="page">
      <Waiting query={papers} page="The paper">
        {(list) => list.filter((paper) => paper.slug === slug).map((paper) => <Opens key={slug} paper={paper} />)}
      </Waiting>
    </section>
  );
}

function Opens({ paper }: { paper: Schemas["PaperSummary"] }) {
  const queries = useQueryClient();
  const open = usePast(paper.opens);
  const [early] = useState(!open);
  useEffect(() => {
    if (open && early) void queries.resetQueries({ queryKey: ["paper", paper.slug] });
  }, [open, early, queries, paper.slug]);
  const left = Date.parse(paper.opens!) - serviceNow();
  return (
    <>
      <h1>{paper.title}</h1>
      <p>
        {paper.examination ? "An examination" : "A paper"} of {count(paper.exercises, "exercise")},{" "}
        {points(paper.points)}. It opens {dueTime(paper.opens!)}
        {left > 0 && `, in ${timeLeft(left)}`}.
      </p>
    </>
  );
}
