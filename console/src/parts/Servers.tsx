import { Alert } from "antd";
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { api, whenServerDown } from "../api/client";

/** Says which server is down, and goes away by itself when it is up again. */
export function Servers() {
  const { data, isError, refetch } = useQuery({
    queryKey: ["health"],
    queryFn: ask,
    refetchInterval: (query) => (query.state.status === "error" || down(query.state.data) ? 2000 : 15000),
    retry: false,
  });
  useEffect(() => whenServerDown(() => void refetch()), [refetch]);
  const said = isError
    ? "The service cannot be reached. What you type stays on this page."
    : data?.records === "down"
      ? "The records server cannot be reached: nothing can be read or kept just now. What you type stays on this page."
      : data?.practice === "down"
        ? "The practice server cannot be reached: queries cannot be run or submitted just now. Drafts and history are kept."
        : null;
  return said ? <Alert banner type="warning" showIcon={false} title={said + " It is tried again by itself."} /> : null;
}

/** Tells whether both servers were up when last asked. */
export function useServersUp() {
  const { data, isError } = useQuery({ queryKey: ["health"], queryFn: ask, enabled: false });
  return !isError && !down(data);
}

async function ask() {
  const { data } = await api.GET("/api/health"); // not answer(), which would ask again
  if (!data) throw new Error("no answer");
  return data;
}

function down(health?: { records: string; practice: string }) {
  return health?.records === "down" || health?.practice === "down";
}
