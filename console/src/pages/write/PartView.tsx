import { memo, useState } from "react";
import { Button } from "../../parts/Button";
import type { Dataset } from "../../parts/sql/schema";
import type { Schemas } from "../../api/client";
import type { OwnPart, PaperText } from "../../work/paperText";
import { BothForms } from "./BothForms";
import { FrontEditor } from "./FrontEditor";
import { PartEditor } from "./PartEditor";
import { Remarks } from "./Remarks";
import { ShownPart } from "./ShownPart";

interface Props {
  text: PaperText;
  own: OwnPart;
  /** The number of its first exercise. */
  number: number;
  /** The part before it; and those behind which it comes when it is moved: undefined where it cannot be. */
  before?: number;
  up?: number;
  down?: number;
  wrong: Schemas["PartError"][];
  /** Who else is at it. */
  others: string[];
  open: boolean;
  narrow: boolean;
  tables?: Dataset;
  onOpen(part: number | null): void;
  onRemoved(text: string, after?: number): void;
}

/** A part of the paper that is written: as learners see it, or opened for writing; what is to be said of it beside. */
export const PartView = memo(function PartView({ text, own, number, wrong, others, open, narrow, ...rest }: Props) {
  const { part } = own;
  const [shown, setShown] = useState(false); // what learners see, in place of what is written
  const title = part.front ? "The front matter" : part.title || "What stands before the first heading";
  const notes = !part.front && (
    <aside className="right-margin" aria-label={`Remarks on ${title}`}>
      {(part.exercise || wrong.length > 0 || part.remarks.length > 0) && (
        <Remarks paper={text.paper} part={part} wrong={wrong} changed={own.unsaved} />
      )}
    </aside>
  );
  const writing = open && !shown;
  return (
    // The key is heard wherever one writes in the part; the button does the same.
    // eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
    <section
      className={part.exercise ? "strip exercise part" : "strip narrative part"}
      id={part.front ? undefined : part.slug || undefined}
      data-part={part.id}
      aria-label={title}
      onFocusCapture={() => text.go(part.id)}
      onKeyDown={(event) => {
        if (!open || part.front || event.key !== "Enter" || !event.altKey) return;
        event.preventDefault();
        setShown(!shown);
      }}
    >
      {!narrow && notes}
      {others.length > 0 && <p className="others">{others.join(" ")}</p>}
      {own.theirs !== undefined && (
        <BothForms ours={own.text} theirs={own.theirs} onSettle={(take) => text.settle(part.id, take)} />
      )}
      {writing ? (
        part.front ? (
          <FrontEditor text={own.text} onChange={(next) => text.change(part.id, next)} />
        ) : (
          <PartEditor
            own={own}
            paper={text.paper}
            constructs={text.constructs}
            tables={rest.tables}
            onChange={(next) => text.change(part.id, next)}
          />
        )
      ) : (
        <ShownPart part={part} paper={text.paper} number={number} tables={rest.tables} />
      )}
      <PartActions text={text} own={own} open={open} shown={shown} title={title} onShown={setShown} {...rest} />
      {narrow && notes}
    </section>
  );
});

interface ActionsProps extends Pick<
  Props,
  "text" | "own" | "before" | "up" | "down" | "open" | "onOpen" | "onRemoved"
> {
  shown: boolean;
  title: string;
  onShown(shown: boolean): void;
}

function PartActions(props: ActionsProps) {
  const { text, own, before, up, down, open, shown, title, onOpen, onShown, onRemoved } = props;
  const { part } = own;
  return (
    <p className="part-actions">
      {open ? (
        <>
          <Button type="primary" size="small" onClick={() => onOpen(null)}>
            Done
          </Button>
          {!part.front && (
            <Button size="small" aria-pressed={shown} title="Alt-Enter" onClick={() => onShown(!shown)}>
              {shown ? "Write on" : "What learners see"}
            </Button>
          )}
        </>
      ) : (
        <Button
          size="small"
          aria-label={part.front ? undefined : `Write: ${title}`}
          onClick={() => {
            onShown(false);
            onOpen(part.id);
          }}
        >
          {part.front ? "Title and times …" : "Write"}
        </Button>
      )}
      {!part.front && (
        <>
          <Button
            size="small"
            disabled={up === undefined}
            aria-label={`Move up: ${title}`}
            onClick={() => void text.move(part.id, up!)}
          >
            Move up
          </Button>
          <Button
            size="small"
            disabled={down === undefined}
            aria-label={`Move down: ${title}`}
            onClick={() => void text.move(part.id, down!)}
          >
            Move down
          </Button>
          <Button
            size="small"
            aria-label={`Take out: ${title}`}
            onClick={() => void text.remove(part.id).then(() => onRemoved(own.text, before))}
          >
            Take out
          </Button>
        </>
      )}
    </p>
  );
}
