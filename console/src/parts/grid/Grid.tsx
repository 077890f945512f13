import { useVirtualizer } from "@tanstack/react-virtual";
import {
  useEffect,
  useId,
  useMemo,
  useImperativeHandle,
  useRef,
  useState,
  type KeyboardEvent,
  type MouseEvent,
  type Ref,
} from "react";
import { Button } from "../Button";
import type { Rows } from "../../api/client";
import { CellText } from "./CellText";
import { GridHead } from "./GridHead";
import { GridRow } from "./GridRow";
import { headHeight, heightOf, rowHeight } from "./height";
import { useCopy, type Copied } from "./useCopy";
import { useSelection, type At } from "./useSelection";
import { useSorted } from "./useSorted";
import { tabbed, widthsOf, type Column } from "./values";

export interface GridHandle {
  copy(what: Copied, withNames: boolean): void;
}

interface Props {
  ref?: Ref<GridHandle>;
  label: string;
  columns: Column[];
  rows: Rows;
  /** How many rows are in sight at once. */
  most?: number;
  /** What is to be said of a cell besides its value, as "other value"; it is marked by its shape, too. */
  mark?(row: number, column: number): string | undefined;
}

/** The cell that a mouse is over. */
function cellAt(event: MouseEvent): At | null {
  const cell = (event.target as HTMLElement).closest<HTMLElement>("[role=gridcell]");
  return cell && { row: Number(cell.dataset.row), column: Number(cell.dataset.column) };
}

/** Rows by the hundred thousand: only those in sight are drawn, and of them only the columns in sight. */
export function Grid({ ref, label, columns, rows, most = 12, mark }: Props) {
  const id = useId();
  const scroller = useRef<HTMLDivElement>(null);
  const [resized, setResized] = useState<Record<number, number>>({});
  const fitting = useMemo(() => widthsOf(columns, rows), [columns, rows]);
  const widths = useMemo(() => fitting.map((width, i) => resized[i] ?? width), [fitting, resized]);
  const [open, setOpen] = useState<At | null>(null);
  const { sort, places, by, own } = useSorted(columns, rows);
  const { active, block, go, move } = useSelection(rows.length, columns.length, most);

  // eslint-disable-next-line react-hooks/incompatible-library -- what these return goes to no other component
  const down = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    scrollPaddingStart: headHeight,
    overscan: 6,
  });
  const across = useVirtualizer({
    horizontal: true,
    count: columns.length,
    getScrollElement: () => scroller.current,
    estimateSize: (i) => widths[i],
    overscan: 2,
  });
  useEffect(() => across.measure(), [widths, across]);
  useEffect(() => {
    if (!scroller.current?.contains(document.activeElement)) return;
    if (active.row >= 0) down.scrollToIndex(active.row);
    across.scrollToIndex(active.column);
  }, [active, down, across]);

  const text = (what: Copied, withNames: boolean) => {
    const whole = { top: 0, bottom: rows.length - 1, left: 0, right: columns.length - 1 };
    const column = { ...whole, left: active.column, right: active.column };
    const { top, bottom, left, right } = { cells: block, column, all: whole }[what];
    const copied = places.slice(top, bottom + 1).map((place) => rows[place]);
    return tabbed(columns, copied, { top: 0, bottom: copied.length - 1, left, right }, withNames);
  };
  const copy = useCopy(scroller, text);
  useImperativeHandle(ref, () => ({ copy }));

  const resize = (column: number, width: number) => setResized((all) => ({ ...all, [column]: Math.max(width, 40) }));
  const press = (event: KeyboardEvent) => {
    if (event.altKey && /^Arrow(Left|Right)$/.test(event.key))
      resize(active.column, widths[active.column] + (event.key === "ArrowLeft" ? -20 : 20));
    else if (event.key === "Enter" || event.key === " ") {
      if (active.row < 0) by(active.column);
      else setOpen(active);
    } else if (event.key === "Escape" && open) setOpen(null);
    else if (!move(event)) return;
    event.preventDefault();
  };
  const cellId = (at: At) => `${id}-${at.row}-${at.column}`;
  const opened = open && places[open.row] !== undefined ? rows[places[open.row]][open.column] : undefined;

  return (
    <div className="row-grid">
      {/* The cells are reached by keys in the grid, which says which of them is active. */}
      <div
        ref={scroller}
        role="grid"
        aria-label={label}
        aria-rowcount={rows.length + 1}
        aria-colcount={columns.length}
        aria-multiselectable
        aria-activedescendant={cellId(active)}
        tabIndex={0}
        className="row-grid-scroll"
        style={{
          maxWidth: across.getTotalSize() + 18,
          height: heightOf(Math.min(rows.length, most)),
        }}
        onKeyDown={press}
        onMouseDown={(event) => {
          const at = cellAt(event);
          if (at) go(at, event.shiftKey);
        }}
        onMouseOver={(event) => {
          const at = event.buttons === 1 && cellAt(event);
          if (at) go(at, true);
        }}
        onDoubleClick={(event) => {
          const at = cellAt(event);
          if (at) setOpen(at);
        }}
        onFocus={() => getSelection()?.removeAllRanges()}
      >
        <div style={{ width: across.getTotalSize(), height: headHeight + down.getTotalSize() }} role="presentation">
          <div role="row" aria-rowindex={1} className="row-grid-head">
            {across.getVirtualItems().map((item) => (
              <GridHead
                key={item.index}
                id={cellId({ row: -1, column: item.index })}
                column={columns[item.index]}
                item={item}
                sort={sort}
                active={active.row === -1 && active.column === item.index}
                onSort={() => {
                  go({ row: -1, column: item.index });
                  by(item.index);
                }}
                onResize={(width) => resize(item.index, width)}
              />
            ))}
          </div>
          {down.getVirtualItems().map(({ index, start }) => {
            const marked = index >= block.top && index <= block.bottom;
            return (
              <GridRow
                key={index}
                id={id}
                index={index}
                place={places[index]}
                top={headHeight + start}
                cells={rows[places[index]]}
                columns={columns}
                items={across.getVirtualItems()}
                active={active.row === index ? active.column : -1}
                from={marked ? block.left : 0}
                to={marked ? block.right : -1}
                mark={mark}
              />
            );
          })}
        </div>
      </div>
      {sort && (
        <p className="quiet" role="status">
          Sorted here by {columns[sort.column].name}, {sort.descending ? "descending" : "ascending"}; the query&rsquo;s
          own order is another.{" "}
          <Button size="small" onClick={own}>
            The query&rsquo;s own order
          </Button>
        </p>
      )}
      {open && opened !== undefined && (
        <CellText column={columns[open.column]} cell={opened} row={open.row} onClose={() => setOpen(null)} />
      )}
    </div>
  );
}
