import { useInternalNode, type Edge, type EdgeProps } from "@xyflow/react";
import type { Schemas } from "../../api/client";
import type { EntityOnMap } from "./EntityNode";

type Line = Schemas["MapLine"];
export type RelationOnMap = Edge<{ line: Line; straight: boolean; marked: boolean }, "relation">;

interface Point {
  x: number;
  y: number;
}

/** Sizes of the boxes, as the service draws them. */
const headRoom = 30;
const rowHeight = 20;
const stub = 22;
const around = 30;

/** A relation in crow's-foot notation: three toes where many rows refer, a bar for one, a circle for none. */
export function RelationEdge({ source, target, data }: EdgeProps<RelationOnMap>) {
  const from = useInternalNode<EntityOnMap>(source);
  const to = useInternalNode<EntityOnMap>(target);
  if (!from || !to || !data) return null;
  const { relation } = data.line;
  const points = data.straight ? way(relation, box(from), box(to)) : data.line.points;
  const [start, end] = [points[0], points[points.length - 1]];
  const out = side(start, box(from));
  const into = side(end, box(to));
  const inner = points.map((p) => ({ ...p }));
  inner[0].x += out * stub;
  inner[inner.length - 1].x += into * stub;
  return (
    <g className="relation" data-marked={data.marked} data-between={data.line.between}>
      <title>{relation.outward}</title>
      <path className="relation-reach" d={`M${start.x} ${start.y}H${inner[0].x}${curve(inner)}H${end.x}`} />
      <path d={`M${start.x} ${start.y}H${inner[0].x}${curve(inner)}H${end.x}`} />
      {relation.single ? bar(start.x + out * 8, start.y) : <path d={foot(start, out)} />}
      <circle cx={start.x + out * 16} cy={start.y} r={3.5} />
      {bar(end.x + into * 8, end.y)}
      {relation.optional ? <circle cx={end.x + into * 15} cy={end.y} r={3.5} /> : bar(end.x + into * 12, end.y)}
    </g>
  );
}

interface Box {
  x: number;
  y: number;
  width: number;
  entity: Schemas["MapEntity"];
}

function box(node: NonNullable<ReturnType<typeof useInternalNode<EntityOnMap>>>): Box {
  return { ...node.internals.positionAbsolute, width: node.data.entity.width, entity: node.data.entity };
}

/** The way between tables of which one was moved: from row to row, by the sides that face each other. */
function way(relation: Line["relation"], from: Box, to: Box): Point[] {
  const startY = from.y + rowAt(from, relation.columns);
  const endY = to.y + rowAt(to, relation.referred);
  if (from.entity === to.entity || (from.x < to.x + to.width && to.x < from.x + from.width)) {
    const right = Math.max(from.x + from.width, to.x + to.width) + around;
    return [
      { x: from.x + from.width, y: startY },
      { x: right, y: startY },
      { x: right, y: endY },
      { x: to.x + to.width, y: endY },
    ];
  }
  return from.x > to.x
    ? [
        { x: from.x, y: startY },
        { x: to.x + to.width, y: endY },
      ]
    : [
        { x: from.x + from.width, y: startY },
        { x: to.x, y: endY },
      ];
}

function rowAt(b: Box, columns: string[]) {
  const i = b.entity.table.columns.findIndex((c) => columns.includes(c.name));
  return i < 0 ? headRoom / 2 : headRoom + rowHeight * (i + 0.5);
}

function side(p: Point, b: Box) {
  return Math.abs(p.x - b.x) < Math.abs(p.x - b.x - b.width) ? -1 : 1;
}

function bar(x: number, y: number) {
  return <path d={`M${x} ${y - 6}v12`} />;
}

function curve(points: Point[]) {
  return points
    .slice(1)
    .map((q, i) => {
      const p = points[i];
      const half = (q.x - p.x) / 2;
      return `C${p.x + half} ${p.y} ${q.x - half} ${q.y} ${q.x} ${q.y}`;
    })
    .join("");
}

/** The crow's foot at the many side of a relation: two lines from a point before the table to its edge. */
function foot({ x, y }: { x: number; y: number }, out: number) {
  const before = `M${x + out * 12} ${y}`;
  return `${before}L${x} ${y - 6}${before}L${x} ${y + 6}`;
}
