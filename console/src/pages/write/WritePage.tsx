import { useCallback, useState } from "react";
import { useParams } from "react-router";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";
import { useTables } from "../../parts/sql/useTables";
import { useTitle } from "../../parts/useTitle";
import { useWidth } from "../../parts/useWidth";
import type { PaperText, TextState } from "../../work/paperText";
import { TablesDrawer } from "../paper/TablesDrawer";
import { AddPart } from "./AddPart";
import { PartView } from "./PartView";
import { useText } from "./useText";
import { WriteBar } from "./WriteBar";

/** How wide a page has to be, in pixels, for the remarks to stand beside the text. */
const withNotes = 1100;

/** A paper that is being written, in the form in which it is read. */
export function WritePage({ dark }: { dark: boolean }) {
  const { paper = "" } = useParams();
  const { text, state, problem } = useText(paper);
  useTitle(state && `Writing: ${state.writing.title}`);
  if (!state)
    return (
      <section className="page">
        {problem ? (
          <>
            <h1>The paper cannot be written</h1>
            <ProblemNote problem={problem} />
          </>
        ) : (
          <p className="quiet">Loading …</p>
        )}
      </section>
    );
  return <Writing text={text} state={state} dark={dark} />;
}

function Writing({ text, state, dark }: { text: PaperText; state: TextState; dark: boolean }) {
  const { writing, order, parts } = state;
  const [drawer, setDrawer] = useState(false);
  const [article, width] = useWidth();
  const [open, setOpen] = useState<number | null>(null);
  const [removed, setRemoved] = useState<{ text: string; after?: number } | null>(null);
  const tables = useTables(writing.dataset, writing.build);
  const numbers = numbersOf(state);
  const add = useCallback(
    async (section: string, after?: number) => {
      const id = await text.add(section, after);
      if (id !== undefined) setOpen(id);
    },
    [text],
  );
  const onRemoved = useCallback((section: string, after?: number) => setRemoved({ text: section, after }), []);
  return (
    <article ref={article} className={width < withNotes ? "paper writing narrow" : "paper writing"} data-dark={dark}>
      <div className="strip">
        <h1>{writing.title}</h1>
        <p className="quiet">
          Written as it is read, about the dataset {writing.dataset}.{" "}
          {writing.published ? "Learners see it as it was published last." : "It was never published."}
        </p>
      </div>
      <WriteBar text={text} state={state} tables={drawer} onTables={() => setDrawer(!drawer)} onOpen={setOpen} />
      {state.problem && (
        <div className="strip">
          <ProblemNote problem={state.problem} />
        </div>
      )}
      {removed && (
        <p className="strip removed" role="status">
          The section is taken out.{" "}
          <Button
            size="small"
            onClick={() => {
              void text.add(removed.text, removed.after);
              setRemoved(null);
            }}
          >
            Bring it back
          </Button>
        </p>
      )}
      {order.map((id, i) => {
        const own = parts.get(id);
        if (!own) return null;
        return (
          <div key={id}>
            <PartView
              text={text}
              own={own}
              number={numbers.get(id) ?? 0}
              before={order[i - 1]}
              up={i > 1 ? order[i - 2] : undefined}
              down={i > 0 ? order[i + 1] : undefined}
              wrong={writing.wrong.filter((error) => error.part === id)}
              others={text.others().flatMap((other) => (other.part === id ? other.said : []))}
              open={open === id}
              narrow={width < withNotes}
              tables={tables}
              onOpen={setOpen}
              onRemoved={onRemoved}
            />
            <AddPart
              behind={own.part.title || "the beginning"}
              tables={tables}
              onAdd={(section) => void add(section, id)}
            />
          </div>
        );
      })}
      <TablesDrawer dataset={writing.dataset} dark={dark} open={drawer} onClose={() => setDrawer(false)} />
    </article>
  );
}

/** The number of the first exercise of each part. */
function numbersOf({ order, parts }: TextState) {
  const numbers = new Map<number, number>();
  let next = 1;
  for (const id of order) {
    numbers.set(id, next);
    next += parts.get(id)?.part.sections.filter((section) => section.exercise).length ?? 0;
  }
  return numbers;
}
