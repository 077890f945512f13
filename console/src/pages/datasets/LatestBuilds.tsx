import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { answer, api } from "../../api/client";
import { Waiting } from "../../parts/Waiting";
import { jobSentence, moment } from "../../parts/words";

/** The latest builds and loads, and how they ended. */
export function LatestBuilds() {
  const jobs = useQuery({ queryKey: ["jobs"], queryFn: () => answer(api.GET("/api/jobs")), refetchInterval: 5000 });
  return (
    <section>
      <h2>Latest builds</h2>
      <Waiting query={jobs}>
        {(list) => (
          <ul className="jobs">
            {list.length === 0 && <li className="quiet">Nothing has been built yet. What you build stands here.</li>}
            {list.slice(0, 12).map((job) => (
              <li key={job.id} data-state={job.state}>
                <Link to={`/builds/${job.id}`}>
                  {job.kind === "pack" ? "Pack" : "Dataset"} {job.name}
                </Link>{" "}
                {jobSentence(job)}{" "}
                <span className="quiet">
                  {moment(job.made)}, {job.account}
                </span>
              </li>
            ))}
          </ul>
        )}
      </Waiting>
    </section>
  );
}
