import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, whenServerDown, type Schemas } from "../api/client";

/** Says which server is down, and goes away by itself when it is up again. */
export function Servers() {
  const { data, isError, refetch } = useQuery({
    queryKey: ["health"],
    queryFn: ask,
    refetchInterval: (query) => (query.state.status === "error" || down(query.state.data) ? 2000 : 15000),
    retry: false,
  });
  useEffect(() => whenServerDown(() => void refetch()), [refetch]);
  const said = isError ? "The service cannot be reached. What you type stays on this page." : data && sentence(data);
  return said ? (
    <div className="servers" role="alert">
      {said} Retrying automatically.
    </div>
  ) : null;
}

type Health = Schemas["Health"];

function sentence({ records, practice, stopping }: Health) {
  if (stopping) return "The service is being stopped or restarted. What you type stays on this page.";
  if (records === "down")
    return (
      "The records server cannot be reached: nothing can be read or saved just now. " +
      "What you type stays on this page."
    );
  if (records === "full")
    return "The records server's disk is full: nothing can be saved just now. What you type stays on this page.";
  if (practice === "down")
    return (
      "The practice server cannot be reached: queries cannot be run or submitted just now. " +
      "Drafts and history are kept."
    );
  if (practice === "full")
    return "The practice server's disk is full: large queries and builds may fail. Drafts and history are kept.";
  return null;
}

/** Tells whether both servers were up when last asked. */
export function useServersUp() {
  const { data, isError } = useQuery({ queryKey: ["health"], queryFn: ask, enabled: false });
  return !isError && !down(data);
}

async function ask(): Promise<Health> {
  const { data, error } = await api.GET("/api/health"); // not answer(), which would ask again
  if (data) return data;
  if (error && "records" in error) return error;
  throw new Error("no answer");
}

function down(health?: Health) {
  return health !== undefined && (health.stopping || health.records !== "up" || health.practice === "down");
}
