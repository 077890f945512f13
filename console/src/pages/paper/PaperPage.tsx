import { useQuery } from "@tanstack/react-query";
import { memo, startTransition, useCallback, useEffect, useState } from "react";
import { useLocation, useNavigate, useParams, useSearchParams } from "react-router";
import { answer, api, problemOf, type Schemas } from "../../api/client";
import { CopyLine } from "../../parts/CopyLine";
import { Prose } from "../../parts/Prose";
import type { Dataset } from "../../parts/sql/schema";
import { useTables } from "../../parts/sql/useTables";
import { useTitle } from "../../parts/useTitle";
import { useWidth } from "../../parts/useWidth";
import { Waiting } from "../../parts/Waiting";
import { useSession } from "../../session";
import { Example } from "./Example";
import { ExaminationDoor } from "./ExaminationDoor";
import { NotOpenYet } from "./NotOpenYet";
import { ExerciseSection } from "./ExerciseSection";
import { Notices } from "./Notices";
import { PaperBar } from "./PaperBar";
import { PaperCheck } from "./PaperCheck";
import { PaperHead } from "./PaperHead";
import { TablesDrawer } from "./TablesDrawer";
import { usePaperNews } from "./usePaperNews";
import { usePast } from "./usePast";

/** A text from the history that is to be brought back into an exercise's answer space. */
export interface BroughtBack {
  exercise: string;
  sql: string;
}

/** How wide a page has to be, in pixels, for the notes to stand beside the answer. */
const withNotes = 1100;

export function PaperPage({ dark }: { dark: boolean }) {
  const { paper: slug = "" } = useParams();
  const { state, hash } = useLocation();
  const instructor = useSession().session!.account.role === "instructor";
  const broughtBack = state as BroughtBack | null;
  const [drawer, setDrawer] = useState(false);
  const [focus, setFocus] = useFocus();
  const [article, width] = useWidth();
  const paper = useQuery({
    queryKey: ["paper", slug],
    queryFn: () => answer(api.GET("/api/papers/{paper}", { params: { path: { paper: slug } } })),
    staleTime: 60_000,
  });
  const loaded = paper.data !== undefined;
  const [used, setUsed] = useState(false); // somebody has begun to write
  const tables = useTables(used ? paper.data?.summary.dataset : undefined, paper.data?.build);
  const closed = usePast(paper.data?.summary.closes) || paper.data?.summary.state === "closed";
  usePaperNews(slug, loaded && !instructor);
  useTitle(paper.data?.summary.title);
  const shown = useGrowing(paper.data?.sections.length ?? 0);
  const whole = loaded && shown >= paper.data.sections.length;
  useEffect(() => {
    if (whole && hash) document.getElementById(hash.slice(1))?.scrollIntoView();
  }, [whole, hash]);
  const refused = paper.error && problemOf(paper.error).type;
  if (refused === "examen:not-begun" || refused === "examen:elsewhere")
    return <ExaminationDoor paper={slug} elsewhere={refused === "examen:elsewhere"} />;
  if (refused === "examen:not-open") return <NotOpenYet paper={slug} />;
  return (
    <Waiting query={paper} page="The paper">
      {({ summary, sections, notices, changes }) => {
        const exercises = sections.flatMap((section) => section.exercise ?? []);
        const inFocus = exercises.some((exercise) => exercise.slug === focus) ? focus : null;
        return (
          <article
            ref={article}
            className={["paper", inFocus && "in-focus", width < withNotes && "narrow", changes && "with-copy"]
              .filter(Boolean)
              .join(" ")}
            data-dark={dark}
            onFocusCapture={() => setUsed(true)}
          >
            <PaperHead summary={summary} closed={closed} instructor={instructor} hidden={inFocus !== null} />
            <PaperBar
              summary={summary}
              exercises={exercises}
              focus={inFocus}
              onFocus={setFocus}
              tables={drawer}
              onTables={() => setDrawer(!drawer)}
            />
            {changes && <CopyLine dataset={summary.dataset} />}
            <Notices paper={slug} notices={notices ?? []} />
            {instructor && !inFocus && <PaperCheck paper={slug} />}
            {sections
              .slice(0, shown)
              .map((section, i) =>
                section.exercise ? (
                  <ExerciseSection
                    key={section.exercise.slug}
                    exercise={section.exercise}
                    tables={tables}
                    closed={closed && !instructor}
                    broughtBack={broughtBack?.exercise === section.exercise.slug ? broughtBack.sql : undefined}
                    away={inFocus !== null && inFocus !== section.exercise.slug}
                    inFocus={inFocus !== null}
                    narrow={width < withNotes}
                    onFocus={setFocus}
                  />
                ) : (
                  <Narrative
                    key={i}
                    section={section}
                    paper={slug}
                    tables={tables}
                    changes={changes}
                    hidden={inFocus !== null}
                  />
                ),
              )}
            <TablesDrawer dataset={summary.dataset} dark={dark} open={drawer} onClose={() => setDrawer(false)} />
          </article>
        );
      }}
    </Waiting>
  );
}

/** Which exercise has the window, as the address says; the browser's Back takes it away, and leads to where one was. */
function useFocus(): [string | null, (exercise: string | null) => void] {
  const [search] = useSearchParams();
  const navigate = useNavigate();
  const { pathname, key } = useLocation();
  const focus = search.get("focus");
  const entered = key !== "default"; // not by the address itself
  const set = useCallback(
    (exercise: string | null) => {
      if (exercise) void navigate(`${pathname}?focus=${exercise}`, { replace: focus !== null });
      else if (entered) void navigate(-1);
      else void navigate(pathname, { replace: true });
    },
    [navigate, pathname, focus, entered],
  );
  return [focus, set];
}

/** How many parts of a page are there: the first at once, then one after another, so that a key is never waited for. */
function useGrowing(parts: number) {
  const [shown, setShown] = useState(1);
  useEffect(() => {
    if (shown < parts) startTransition(() => setShown((n) => n + Math.ceil(n / 2)));
  }, [shown, parts]);
  return shown;
}

interface NarrativeProps {
  section: Schemas["Section"];
  paper: string;
  tables?: Dataset;
  changes?: boolean;
  hidden: boolean;
}

const Narrative = memo(function Narrative({ section, paper, tables, changes, hidden }: NarrativeProps) {
  return (
    <div className="strip narrative" hidden={hidden}>
      {section.title && <h2>{section.title}</h2>}
      {section.blocks?.map((block, i) =>
        block.kind === "example" ? (
          <Example key={i} paper={paper} text={block.text} tables={tables} changes={changes} />
        ) : (
          <Prose key={i} html={block.html ?? ""} />
        ),
      )}
    </div>
  );
});
