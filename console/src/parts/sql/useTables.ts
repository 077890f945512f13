import { useQuery } from "@tanstack/react-query";
import { answer, api } from "../../api/client";
import type { Dataset } from "./schema";

/** The tables of a dataset's build. A build never changes: they are asked for once. */
export function useTables(dataset = "", build?: number): Dataset | undefined {
  return useQuery({
    queryKey: ["tables", dataset, build],
    queryFn: () => answer(api.GET("/api/datasets/{dataset}", { params: { path: { dataset }, query: { build } } })),
    staleTime: Infinity,
    enabled: dataset !== "" && build !== undefined,
  }).data;
}
