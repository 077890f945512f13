import { useQuery } from "@tanstack/react-query";
import { memo, startTransition, useEffect, useState } from "react";
import { useLocation, useParams } from "react-router";
import { Button } from "../../parts/Button";
import { answer, api, type Schemas } from "../../api/client";
import { Prose } from "../../parts/Prose";
import type { Dataset } from "../../parts/sql/schema";
import { useTables } from "../../parts/sql/useTables";
import { Waiting } from "../../parts/Waiting";
import { points } from "../../parts/words";
import { useSession } from "../../session";
import { DueTime } from "./DueTime";
import { Example } from "./Example";
import { ExerciseSection } from "./ExerciseSection";
import { PaperCheck } from "./PaperCheck";
import { usePast } from "./usePast";
import { TablesDrawer } from "./TablesDrawer";
import { useTitle } from "../../parts/useTitle";

/** A text from the history that is to be brought back into an exercise's answer space. */
export interface BroughtBack {
  exercise: string;
  sql: string;
}

export function PaperPage({ dark }: { dark: boolean }) {
  const { paper: slug = "" } = useParams();
  const { state, hash } = useLocation();
  const instructor = useSession().session!.account.role === "instructor";
  const broughtBack = state as BroughtBack | null;
  const [drawer, setDrawer] = useState(false);
  const [focus, setFocus] = useState<string | null>(null);
  const paper = useQuery({
    queryKey: ["paper", slug],
    queryFn: () => answer(api.GET("/api/papers/{paper}", { params: { path: { paper: slug } } })),
    staleTime: 60_000,
  });
  const loaded = paper.data !== undefined;
  const [used, setUsed] = useState(false); // somebody has begun to write
  const tables = useTables(used ? paper.data?.summary.dataset : undefined, paper.data?.build);
  const closed = usePast(paper.data?.summary.due) || paper.data?.summary.state === "closed";
  useTitle(paper.data?.summary.title);
  const shown = useGrowing(paper.data?.sections.length ?? 0);
  const whole = loaded && shown >= paper.data.sections.length;
  useEffect(() => {
    if (whole && hash) document.getElementById(hash.slice(1))?.scrollIntoView();
  }, [whole, hash]);
  return (
    <Waiting query={paper}>
      {({ summary, sections }) => (
        <article className={focus ? "paper in-focus" : "paper"} data-dark={dark} onFocusCapture={() => setUsed(true)}>
          <PaperHead summary={summary} closed={closed} instructor={instructor} onTables={() => setDrawer(true)} />
          {instructor && !focus && <PaperCheck paper={slug} />}
          {sections
            .slice(0, shown)
            .map((section, i) =>
              section.exercise ? (
                (!focus || focus === section.exercise.slug) && (
                  <ExerciseSection
                    key={section.exercise.slug}
                    exercise={section.exercise}
                    tables={tables}
                    closed={closed && !instructor}
                    broughtBack={broughtBack?.exercise === section.exercise.slug ? broughtBack.sql : undefined}
                    inFocus={focus !== null}
                    onFocus={setFocus}
                  />
                )
              ) : (
                <Narrative key={i} section={section} paper={slug} tables={tables} hidden={focus !== null} />
              ),
            )}
          <TablesDrawer dataset={summary.dataset} dark={dark} open={drawer} onClose={() => setDrawer(false)} />
        </article>
      )}
    </Waiting>
  );
}

/** How many parts of a page are there: the first at once, then one after another, so that a key is never waited for. */
function useGrowing(parts: number) {
  const [shown, setShown] = useState(1);
  useEffect(() => {
    if (shown < parts) startTransition(() => setShown((n) => n + Math.ceil(n / 2)));
  }, [shown, parts]);
  return shown;
}

function PaperHead({
  summary,
  closed,
  instructor,
  onTables,
}: {
  summary: Schemas["PaperSummary"];
  closed: boolean;
  instructor: boolean;
  onTables: () => void;
}) {
  return (
    <div className="strip">
      <div className="middle">
        <h1>{summary.title}</h1>
        <p className="quiet">
          {summary.due && <DueTime due={summary.due} closed={closed} />}
          {!instructor && `${summary.mark} of ${points(summary.points)} so far. `}
          <Button type="link" onClick={onTables}>
            Tables
          </Button>
        </p>
      </div>
    </div>
  );
}

const Narrative = memo(function Narrative({
  section,
  paper,
  tables,
  hidden,
}: {
  section: Schemas["Section"];
  paper: string;
  tables?: Dataset;
  hidden: boolean;
}) {
  if (hidden) return null;
  return (
    <div className="strip narrative">
      <div className="middle">
        {section.title && <h2>{section.title}</h2>}
        {section.blocks?.map((block, i) =>
          block.kind === "example" ? (
            <Example key={i} paper={paper} text={block.text} tables={tables} />
          ) : (
            <Prose key={i} html={block.html ?? ""} />
          ),
        )}
      </div>
    </div>
  );
});
