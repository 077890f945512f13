import type { VirtualItem } from "@tanstack/react-virtual";
import type { PointerEvent } from "react";
import type { Sort } from "./useSorted";
import { isNumber, type Column } from "./values";

interface Props {
  id: string;
  column: Column;
  item: VirtualItem;
  sort: Sort | null;
  active: boolean;
  onSort(): void;
  onResize(width: number): void;
}

/** A column's name and type. A click sorts, its edge changes the width. */
export function GridHead({ id, column, item, sort, active, onSort, onResize }: Props) {
  const sorted = sort?.column === item.index;
  const drag = (event: PointerEvent<HTMLElement>) => {
    event.preventDefault();
    event.stopPropagation();
    const edge = event.currentTarget;
    const from = event.clientX;
    edge.setPointerCapture(event.pointerId);
    edge.onpointermove = (moved) => onResize(item.size + moved.clientX - from);
    edge.onpointerup = () => (edge.onpointermove = null);
  };
  return (
    // eslint-disable-next-line jsx-a11y/interactive-supports-focus -- the grid has the focus and the keys
    <div
      id={id}
      role="columnheader"
      aria-colindex={item.index + 1}
      aria-sort={sorted ? (sort.descending ? "descending" : "ascending") : "none"}
      className="grid-head-cell"
      data-active={active || undefined}
      data-number={isNumber(column.type) || undefined}
      style={{ left: item.start, width: item.size }}
      onMouseDown={onSort}
      title={`${column.name} ${column.type}`}
    >
      <span>
        {column.name}
        {sorted && <b aria-hidden>{sort.descending ? " ↓" : " ↑"}</b>}
      </span>
      <small>{column.type}</small>
      <i className="grid-edge" aria-hidden onPointerDown={drag} onMouseDown={(event) => event.stopPropagation()} />
    </div>
  );
}
