import { Button } from "../Button";
import { laidOut, type Cell, type Column } from "./values";

/** The whole of a cell, over as many lines as it has. */
export function CellText({ column, cell, row, onClose }: { column: Column; cell: Cell; row: number; onClose(): void }) {
  return (
    <section className="cell-text" aria-label={`${column.name}, row ${row + 1}`}>
      <p className="quiet">
        <code>{column.name}</code> of row {(row + 1).toLocaleString("en")}
        {cell !== null && `, ${cell.length.toLocaleString("en")} characters`}{" "}
        <Button size="small" onClick={onClose}>
          Close
        </Button>
      </p>
      {/* eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex -- it scrolls, so a key has to reach it */}
      <pre tabIndex={0}>{cell === null ? "NULL" : laidOut(cell, column.type)}</pre>
    </section>
  );
}
