import { Handle, Position, type Node, type NodeProps } from "@xyflow/react";
import type { Schemas } from "../../api/client";

export type EntityOnMap = Node<{ entity: Schemas["MapEntity"] }, "entity">;

/** A table's box: its columns, with keys marked. */
export function EntityNode({ data, selected }: NodeProps<EntityOnMap>) {
  const { table, hidden } = data.entity;
  return (
    <div className="entity" data-selected={selected} title={table.meaning}>
      <Handle type="source" position={Position.Left} />
      <Handle type="target" position={Position.Right} />
      <h2>{table.name}</h2>
      <ul>
        {table.columns.map((c) => (
          <li key={c.name} title={[c.meaning, c.references && `refers to ${c.references}`, c.nullable && "may be NULL"].filter(Boolean).join("; ")}>
            <small>{[c.key && "PK", c.references && "FK"].filter(Boolean).join(" ")}</small>
            {c.key ? <b>{c.name}</b> : <span>{c.name}</span>} <i>{c.type}</i>
          </li>
        ))}
        {hidden ? (
          <li>
            <small />
            <i>and {hidden} more columns</i>
          </li>
        ) : null}
      </ul>
    </div>
  );
}
