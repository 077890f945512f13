import "@xyflow/react/dist/style.css";
import { useQuery } from "@tanstack/react-query";
import { Controls, ReactFlow } from "@xyflow/react";
import type { MouseEvent } from "react";
import { answer, api, type Schemas } from "../../api/client";
import { Waiting } from "../../parts/Waiting";
import { EntityNode, type EntityOnMap } from "./EntityNode";
import { RelationEdge, type RelationOnMap } from "./RelationEdge";

const nodeTypes = { entity: EntityNode };
const edgeTypes = { relation: RelationEdge };

interface Props {
  dataset: string;
  dark: boolean;
  /** Takes the name of a table or column as SQL writes it. */
  onPick(name: string): void;
}

/** The map of a dataset's tables, from which names are picked. */
export function PickingMap({ dataset, dark, onPick }: Props) {
  const map = useQuery({
    queryKey: ["map", dataset, ""],
    queryFn: () => answer(api.GET("/api/datasets/{dataset}/map", { params: { path: { dataset } } })),
    staleTime: Infinity,
  });
  return (
    <div className="picking-map">
      <Waiting query={map}>
        {(drawn) => (typeof drawn === "string" ? null : <Drawn map={drawn} dark={dark} onPick={onPick} />)}
      </Waiting>
    </div>
  );
}

function Drawn({ map, dark, onPick }: { map: Schemas["DatasetMap"]; dark: boolean; onPick(name: string): void }) {
  const nodes = map.entities.map((entity): EntityOnMap => ({
    id: entity.table.name,
    type: "entity",
    position: { x: entity.x, y: entity.y },
    width: entity.width,
    height: entity.height,
    data: { entity },
  }));
  const edges = map.relations.map((line, i): RelationOnMap => ({
    id: String(i),
    type: "relation",
    source: line.relation.from,
    target: line.relation.to,
    zIndex: 0,
    data: { line, straight: false, marked: false },
  }));
  const pick = (event: MouseEvent, node: EntityOnMap) => {
    const column = (event.target as HTMLElement).closest<HTMLElement>("[data-column]")?.dataset.column;
    onPick(column ?? node.data.entity.table.sql_name);
  };
  return (
    <ReactFlow<EntityOnMap, RelationOnMap>
      nodes={nodes}
      edges={edges}
      nodeTypes={nodeTypes}
      edgeTypes={edgeTypes}
      onNodeClick={pick}
      colorMode={dark ? "dark" : "light"}
      fitView
      fitViewOptions={{ maxZoom: 1, padding: 0.04 }}
      minZoom={0.05}
      nodesDraggable={false}
      nodesConnectable={false}
      nodesFocusable={false}
      edgesFocusable={false}
      deleteKeyCode={null}
    >
      <Controls showInteractive={false} />
    </ReactFlow>
  );
}
