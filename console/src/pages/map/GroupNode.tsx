import { type Node, type NodeProps } from "@xyflow/react";

export type GroupOnMap = Node<{ heading: string }, "frame">;

/** The frame around tables that relate to each other more than to others. */
export function GroupNode({ data }: NodeProps<GroupOnMap>) {
  return (
    <div className="map-group">
      <p>{data.heading}</p>
    </div>
  );
}

interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

const head = 64;
const side = 18;

/** The frame's place: around its tables, wherever they were moved to. */
export function frame(tables: Box[]): Box {
  const x = Math.min(...tables.map((t) => t.x)) - side;
  const y = Math.min(...tables.map((t) => t.y)) - head;
  return {
    x,
    y,
    width: Math.max(...tables.map((t) => t.x + t.width)) + side - x,
    height: Math.max(...tables.map((t) => t.y + t.height)) + side - y,
  };
}
