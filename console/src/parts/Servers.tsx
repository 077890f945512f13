import { Alert } from "antd";
import { useQuery } from "@tanstack/react-query";
import { answer, api } from "../api/client";

/** Says which server is down, and goes away by itself when it is up again. */
export function Servers() {
  const { data, isError } = useQuery({
    queryKey: ["health"],
    queryFn: () => answer(api.GET("/api/health")),
    refetchInterval: (query) => (query.state.status === "error" || down(query.state.data) ? 2000 : 15000),
    retry: false,
  });
  const said = isError
    ? "The service cannot be reached. What you type stays on this page."
    : data?.records === "down"
      ? "The records server cannot be reached: nothing can be read or kept just now. What you type stays on this page."
      : data?.practice === "down"
        ? "The practice server cannot be reached: queries cannot be run or submitted just now. Drafts and history are kept."
        : null;
  return said ? <Alert banner type="warning" showIcon={false} title={said + " It is tried again by itself."} /> : null;
}

function down(health?: { records: string; practice: string }) {
  return health?.records === "down" || health?.practice === "down";
}
