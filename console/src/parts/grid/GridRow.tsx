import type { VirtualItem } from "@tanstack/react-virtual";
import { memo } from "react";
import type { Rows } from "../../api/client";
import { CellValue } from "./CellValue";
import { isNumber, type Column } from "./values";

interface Props {
  id: string; // of the grid
  index: number; // where the row is shown
  place: number; // of the row in the result
  top: number; // pixels
  cells: Rows[number];
  columns: Column[];
  items: VirtualItem[]; // the columns in sight
  active: number; // the column of the active cell; -1: it is in another row
  from: number; // the first column of the block that is marked
  to: number; // the last; -1: none of this row is marked
  mark?(row: number, column: number): string | undefined;
}

/** A row of the grid. It is drawn once while it is in sight, unless something in it changes. */
export const GridRow = memo(function GridRow(props: Props) {
  const { id, index, place, top, cells, columns, items, active, from, to, mark } = props;
  return (
    <div role="row" aria-rowindex={index + 2} className="row-grid-row" style={{ top }}>
      {items.map((item) => {
        const { type } = columns[item.index];
        const said = mark?.(place, item.index);
        return (
          <div
            key={item.index}
            id={`${id}-${index}-${item.index}`}
            role="gridcell"
            aria-colindex={item.index + 1}
            aria-selected={item.index >= from && item.index <= to}
            className="row-grid-cell"
            data-row={index}
            data-column={item.index}
            data-active={active === item.index || undefined}
            data-number={isNumber(type) || undefined}
            data-mark={said}
            title={said}
            style={{ left: item.start, width: item.size }}
          >
            <CellValue cell={cells[item.index]} type={type} />
            {said && <span className="away"> ({said})</span>}
          </div>
        );
      })}
    </div>
  );
});
