import { useVirtualizer } from "@tanstack/react-virtual";
import { useRef, useState } from "react";
import type { Schemas } from "../../api/client";
import { count } from "../../parts/words";

type Line = Schemas["RosterLine"];

const rank = { wrong: 0, new: 1, changed: 2, same: 3 };

/** What importing each line would do, the wrong ones first. */
export function RosterLines({ lines }: { lines: Line[] }) {
  const [all, setAll] = useState(false);
  const shown = lines
    .filter((line) => all || line.state !== "same")
    .sort((a, b) => rank[a.state] - rank[b.state] || a.line - b.line);
  const box = useRef<HTMLDivElement>(null);
  // The compiler leaves this component alone, as the library asks.
  // eslint-disable-next-line react-hooks/incompatible-library
  const rows = useVirtualizer({
    count: shown.length,
    getScrollElement: () => box.current,
    estimateSize: () => 30,
    overscan: 20,
  });
  const same = lines.filter((line) => line.state === "same").length;
  return (
    <>
      {same > 0 && (
        <label className="check">
          <input type="checkbox" checked={all} onChange={(event) => setAll(event.target.checked)} /> Show the{" "}
          {count(same, "line")} that {same === 1 ? "changes" : "change"} nothing
        </label>
      )}
      {/* It scrolls, so it takes the keys that scroll. */}
      {/* eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex */}
      <div ref={box} className="roster-lines" role="table" aria-label="Lines of the roster" tabIndex={0}>
        <div role="row" className="roster-line roster-head">
          {["Line", "What", "Name", "Login", "E-mail", "Group", "Role"].map((head) => (
            <span key={head} role="columnheader">
              {head}
            </span>
          ))}
        </div>
        <div style={{ height: rows.getTotalSize(), position: "relative" }} role="rowgroup">
          {rows.getVirtualItems().map((item) => (
            <div
              key={item.key}
              ref={rows.measureElement}
              data-index={item.index}
              role="row"
              className="roster-line"
              data-state={shown[item.index].state}
              style={{ transform: `translateY(${item.start}px)` }}
            >
              <Cells line={shown[item.index]} />
            </div>
          ))}
        </div>
      </div>
    </>
  );
}

function Cells({ line }: { line: Line }) {
  const cells = [line.line, said(line), line.name, line.login, line.email, line.group, line.role];
  return cells.map((cell, i) => (
    <span key={i} role="cell">
      {cell}
    </span>
  ));
}

function said({ state, wrong, has_account: known, changes }: Line) {
  const more = changes?.join("; ");
  switch (state) {
    case "wrong":
      return `Wrong: ${wrong}`;
    case "new":
      return known ? `New, has an account${more ? `; ${more}` : ""}` : "New";
    case "changed":
      return `Changed: ${more}`;
    default:
      return "The same";
  }
}
