import { useState, type KeyboardEvent } from "react";
import type { Block } from "./values";

export interface At {
  row: number; // -1: the head
  column: number;
}

/** The cell that is active in a grid, and the block from where the selecting began up to it. */
export function useSelection(rows: number, columns: number, page: number) {
  const [active, setActive] = useState<At>({ row: 0, column: 0 });
  const [anchor, setAnchor] = useState<At>({ row: 0, column: 0 });
  const within = ({ row, column }: At): At => ({
    row: Math.min(Math.max(row, -1), rows - 1),
    column: Math.min(Math.max(column, 0), columns - 1),
  });
  const block: Block = {
    top: Math.max(Math.min(active.row, anchor.row), 0),
    bottom: Math.min(Math.max(active.row, anchor.row, 0), rows - 1),
    left: Math.min(active.column, anchor.column),
    right: Math.min(Math.max(active.column, anchor.column), columns - 1),
  };
  const go = (to: At, extend = false) => {
    const at = within(to);
    setActive(at);
    if (!extend) setAnchor(at);
  };

  /** Moves by a key, and tells whether it did. */
  const move = (event: KeyboardEvent): boolean => {
    const { row, column } = active;
    const far = event.ctrlKey || event.metaKey;
    if (far && event.key === "a") {
      setAnchor({ row: 0, column: 0 });
      setActive({ row: rows - 1, column: columns - 1 });
      return true;
    }
    const to: Record<string, At> = {
      ArrowUp: { row: far ? 0 : row - 1, column },
      ArrowDown: { row: far ? rows - 1 : row + 1, column },
      ArrowLeft: { row, column: far ? 0 : column - 1 },
      ArrowRight: { row, column: far ? columns - 1 : column + 1 },
      PageUp: { row: Math.max(row - page, 0), column },
      PageDown: { row: row + page, column },
      Home: { row: far ? 0 : row, column: 0 },
      End: { row: far ? rows - 1 : row, column: columns - 1 },
    };
    if (event.altKey || !to[event.key]) return false;
    go(to[event.key], event.shiftKey);
    return true;
  };
  return { active, block, go, move };
}
