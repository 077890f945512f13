import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState, type KeyboardEvent } from "react";
import { answer, api, type Schemas } from "../../api/client";
import { selectedIn } from "../../parts/notes/NoteForm";
import { ProblemNote } from "../../parts/ProblemNote";
import { useCall } from "../../parts/useCall";
import { count, moment } from "../../parts/words";
import { causes } from "./causes";
import { Keys } from "./Keys";
import { OneReview, type Opened } from "./OneReview";

type Review = Schemas["Review"];

interface Done {
  what: string;
  undo(): Promise<unknown>;
}

interface Props {
  reviews: Review[];
  more: boolean;
}

/** The marking list with one attempt at hand; keys go on, mark, write, leave and undo. */
export function MarkingList({ reviews, more }: Props) {
  const queries = useQueryClient();
  const [chosen, setChosen] = useState(0);
  const [opened, setOpened] = useState<Opened>(null);
  const [done, setDone] = useState<Done[]>([]);
  const { call, problem } = useCall("reviews", "marks-set", "notes");
  const place = useRef<HTMLDivElement>(null);
  const selected = useRef(""); // before a press, which may end the selection
  const at = Math.min(chosen, reviews.length - 1);
  const review = reviews.at(at);
  useEffect(() => place.current?.focus(), []);
  const go = (to: number) => {
    setOpened(null);
    setChosen(Math.min(Math.max(to, 0), reviews.length - 1));
    place.current?.focus();
  };
  const did = (one: Done) => {
    setDone((before) => [...before, one]);
    setOpened(null);
    place.current?.focus();
    void queries.invalidateQueries({ queryKey: ["reviews"] });
  };
  function leave() {
    if (!review) return;
    const params = { path: { review: review.id } };
    const url = "/api/reviews/{review}/done" as const;
    void call(() => answer(api.PUT(url, { params })).then(() => true)).then((left) => {
      if (left)
        did({ what: `${review.attempt.display_name} was left`, undo: () => answer(api.DELETE(url, { params })) });
    });
  }
  function undo() {
    const last = done.at(-1);
    if (last) void call(() => last.undo().then(() => setDone(done.slice(0, -1))));
  }
  const keys: Record<string, () => void> = {
    n: () => go(at + 1),
    p: () => go(at - 1),
    m: () => setOpened({ what: "mark" }),
    w: () => setOpened({ what: "note", quote: selectedIn(place.current) || selected.current }),
    l: leave,
    u: undo,
  };
  function onKey(event: KeyboardEvent) {
    if (event.ctrlKey || event.metaKey || event.altKey) return;
    if (event.key === "Escape") return go(at);
    if ((event.target as Element).matches("input, textarea, select")) return;
    const act = keys[event.key.toLowerCase()];
    if (!act) return;
    event.preventDefault();
    act();
  }
  return (
    // What is pressed are the buttons in it; keys are heard while it, or something in it, has the focus.
    // eslint-disable-next-line jsx-a11y/no-static-element-interactions
    <div
      ref={place}
      tabIndex={-1}
      className="marking-list"
      onKeyDown={onKey}
      onMouseDown={() => (selected.current = selectedIn(place.current))}
    >
      <Keys keys={keys} last={done.at(-1)?.what} none={!review} />
      {problem && <ProblemNote problem={problem} />}
      <p className="quiet" role="status">
        {review
          ? `${at + 1} of ${count(reviews.length, "attempt")}${more ? ", and more after these" : ""}.`
          : "Nothing needs your eye."}
      </p>
      {review && <OneReview key={review.id} review={review} opened={opened} onOpen={setOpened} onDone={did} />}
      {reviews.length > 1 && (
        <ol className="marking-others" aria-label="The list">
          {reviews.map((one, i) => (
            <li key={one.id}>
              <button type="button" aria-current={i === at} onClick={() => go(i)}>
                {one.attempt.display_name}, {one.number}. {one.title}
                <span className="quiet">
                  {" "}
                  {causes[one.cause]}, {moment(one.at)}
                </span>
              </button>
            </li>
          ))}
        </ol>
      )}
    </div>
  );
}
