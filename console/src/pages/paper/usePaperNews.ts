import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import type { Schemas } from "../../api/client";
import { follow } from "../../api/events";

type Paper = Schemas["Paper"];
type News = Schemas["PaperNews"];

/**
 * Follows what changes of a paper while one works on it: its times, whether marks are told, what instructors say to
 * all. It is put into the paper as it was loaded; what is not known then is asked for.
 */
export function usePaperNews(slug: string, following: boolean) {
  const queries = useQueryClient();
  useEffect(() => {
    if (!following) return;
    const key = ["paper", slug];
    let margin: string | null = null; // as it was told last
    return follow<News>(`/api/papers/${encodeURIComponent(slug)}/events`, (news) => {
      const paper = queries.getQueryData<Paper>(key);
      if (!paper) return;
      const { summary } = paper;
      const otherwise = (news.untold ?? false) !== (summary.untold ?? false) || news.state !== summary.state;
      const noted = margin !== null && (news.margin ?? "") !== margin;
      margin = news.margin ?? "";
      if (otherwise || noted || news.elsewhere) return void queries.invalidateQueries({ queryKey: key });
      const { due, closes, notices } = news;
      queries.setQueryData(key, { ...paper, notices, summary: { ...summary, due, closes } });
    });
  }, [queries, slug, following]);
}
