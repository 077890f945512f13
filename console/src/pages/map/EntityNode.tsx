import { Handle, Position, type Node, type NodeProps } from "@xyflow/react";
import { Fragment, type CSSProperties } from "react";
import type { Schemas } from "../../api/client";

export type EntityOnMap = Node<{ entity: Schemas["MapEntity"] }, "entity">;

/** A table's box: its columns, with keys marked. */
export function EntityNode({ data, selected }: NodeProps<EntityOnMap>) {
  const { table, hidden } = data.entity;
  return (
    <div className="entity" data-selected={selected} title={table.meaning}>
      <Handle type="source" position={Position.Left} />
      <Handle type="target" position={Position.Right} />
      <h2 style={{ "--name-size": `${nameSize(table.name, data.entity)}px` } as CSSProperties}>
        {parts(table.name).map((part, i) => (
          <Fragment key={i}>
            {part}
            <wbr />
          </Fragment>
        ))}
      </h2>
      <ul>
        {table.columns.map((c) => (
          <li
            key={c.name}
            data-column={c.sql_name}
            title={[c.meaning, c.references && `refers to ${c.references}`, c.nullable && "may be NULL"]
              .filter(Boolean)
              .join("; ")}
          >
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

/** A name's words: where it may go on in the next line. */
const parts = (name: string) => name.split(/(?<=[_.])/);

/** The largest size at which the name alone fits the box, for a look from far away. */
function nameSize(name: string, { width, height }: Schemas["MapEntity"]) {
  const words = parts(name);
  const longest = Math.max(...words.map((word) => word.length), 4);
  return Math.max(13, Math.min((width - 16) / (longest * 0.62), (height - 12) / (words.length * 1.1), 42));
}
