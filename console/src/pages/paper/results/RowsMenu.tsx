import { useState, type RefObject } from "react";
import { Button } from "../../../parts/Button";
import type { Run } from "../../../api/client";
import type { GridHandle } from "../../../parts/grid/Grid";
import type { Copied } from "../../../parts/grid/useCopy";
import { Menu } from "../../../parts/Menu";
import { isNumber } from "../../../parts/grid/values";
import type { Beneath } from "./RunResult";

interface Props {
  run: Run;
  grid: RefObject<GridHandle | null>;
  earlier: Run[];
  beneath: Beneath;
  onBeneath(what: Beneath): void;
}

/** What can be done with a result: to copy it, to save it, to compare it, to draw it. */
export function RowsMenu({ run, grid, earlier, beneath, onBeneath }: Props) {
  const [names, setNames] = useState(true);
  const [said, setSaid] = useState("");
  const copy = (what: Copied, word: string) => {
    grid.current?.copy(what, names);
    setSaid(`${word} copied${names ? ", with the columns' names" : ""}.`);
  };
  const toggle = (what: Beneath) => onBeneath(beneath === what ? null : what);
  return (
    <Menu label="Use the rows">
      <div className="tools-line" role="group" aria-label="Copy">
        <span>Copy</span>
        <Button size="small" onClick={() => copy("cells", "The cells")}>
          marked cells
        </Button>
        <Button size="small" onClick={() => copy("column", "The column")}>
          column
        </Button>
        <Button size="small" onClick={() => copy("all", "All rows shown")}>
          all
        </Button>
      </div>
      <label>
        <input type="checkbox" checked={names} onChange={(event) => setNames(event.target.checked)} /> with the
        columns&rsquo; names
      </label>
      {!run.error && (
        <div className="tools-line" role="group" aria-label="Save all rows">
          <span>Save all rows</span>
          {["csv", "xlsx", "json"].map((format) => (
            <a key={format} href={`/api/runs/${run.id}/rows?format=${format}`} download>
              {format.toUpperCase()}
            </a>
          ))}
        </div>
      )}
      <div className="tools-line">
        <Button
          size="small"
          data-closes
          aria-pressed={beneath === "comparison"}
          disabled={!earlier.length}
          onClick={() => toggle("comparison")}
        >
          Compare with an earlier run
        </Button>
        <Button
          size="small"
          data-closes
          aria-pressed={beneath === "chart"}
          disabled={!run.columns.some((c) => isNumber(c.type)) || run.rows.length === 0}
          onClick={() => toggle("chart")}
        >
          Draw
        </Button>
      </div>
      <p className="quiet">
        In the grid: arrows move, Shift marks a block, Ctrl-A all; Ctrl-C copies; Enter opens a cell, on a
        column&rsquo;s name it sorts; Alt with left or right changes a column&rsquo;s width.
      </p>
      <p className="quiet" role="status">
        {said}
      </p>
    </Menu>
  );
}
