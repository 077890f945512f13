import "@xyflow/react/dist/style.css";
import { Button, Select } from "antd";
import { Background, Controls, MiniMap, ReactFlow, useNodesState, useReactFlow, type NodeChange } from "@xyflow/react";
import { useMemo, useState, type ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { EntityNode, type EntityOnMap } from "./EntityNode";
import { exportMap } from "./exportMap";
import { RelationEdge, type RelationOnMap } from "./RelationEdge";

const nodeTypes = { entity: EntityNode };
const edgeTypes = { relation: RelationEdge };

interface Props {
  dataset: string;
  table: string;
  map: Schemas["DatasetMap"];
  dark: boolean;
  head: ReactNode;
  onAround(table: string): void;
}

type Places = Record<string, { x: number; y: number }>;

/** Tables that can be moved, zoomed and found. Where they were moved to is kept in the browser. */
export function TableMap({ dataset, table, map, dark, head, onAround }: Props) {
  const key = `map ${dataset} ${table}`;
  const [moved, setMoved] = useState<Places>(() => JSON.parse(localStorage.getItem(key) ?? "{}") as Places);
  const [chosen, setChosen] = useState("");
  const flow = useReactFlow();
  const [nodes, setNodes, onNodesChange] = useNodesState<EntityOnMap>(
    map.entities.map((entity) => ({
      id: entity.table.name,
      type: "entity",
      position: moved[entity.table.name] ?? { x: entity.x, y: entity.y },
      width: entity.width,
      height: entity.height,
      data: { entity },
    })),
  );
  const edges = useMemo<RelationOnMap[]>(
    () =>
      map.relations.map((line, i) => ({
        id: String(i),
        type: "relation",
        source: line.relation.from,
        target: line.relation.to,
        data: { line, straight: Boolean(moved[line.relation.from] ?? moved[line.relation.to]), marked: chosen !== "" && (line.relation.from === chosen || line.relation.to === chosen) },
      })),
    [map, moved, chosen],
  );

  function remember(places: Places) {
    setMoved(places);
    localStorage.setItem(key, JSON.stringify(places));
  }
  function onMoved(changes: NodeChange<EntityOnMap>[]) {
    onNodesChange(changes);
    const now: Places = {};
    for (const c of changes) if (c.type === "position" && c.position) now[c.id] = { x: Math.round(c.position.x), y: Math.round(c.position.y) };
    if (Object.keys(now).length > 0) remember({ ...moved, ...now });
  }
  function tidy() {
    remember({});
    setNodes((all) => all.map((n) => ({ ...n, position: { x: n.data.entity.x, y: n.data.entity.y } })));
    setTimeout(() => void flow.fitView(), 0);
  }
  function find(name: string) {
    setChosen(name);
    void flow.fitView({ nodes: [{ id: name }], maxZoom: 1.1, duration: 300 });
  }
  const save = (kind: "svg" | "png") => void exportMap(dataset, table, moved, dark, kind);

  return (
    <>
      <div className="map-head">
        <h1>{head}</h1>
        <Select
          showSearch
          size="small"
          placeholder="Find a table"
          aria-label="Find a table"
          value={chosen || undefined}
          options={map.entities.map((e) => ({ value: e.table.name, label: e.table.name }))}
          onChange={find}
        />
        {chosen && !table && (
          <Button size="small" onClick={() => onAround(chosen)}>
            Only its neighbours
          </Button>
        )}
        <Button size="small" onClick={tidy} disabled={Object.keys(moved).length === 0}>
          Reset layout
        </Button>
        <Button size="small" onClick={() => save("svg")}>
          Save as SVG
        </Button>
        <Button size="small" onClick={() => save("png")}>
          Save as PNG
        </Button>
      </div>
      <div className="map-space" data-tables={map.entities.length}>
        <ReactFlow
          nodes={nodes}
          edges={edges}
          nodeTypes={nodeTypes}
          edgeTypes={edgeTypes}
          onNodesChange={onMoved}
          onNodeClick={(_, node) => setChosen(node.id)}
          onPaneClick={() => setChosen("")}
          colorMode={dark ? "dark" : "light"}
          fitView
          fitViewOptions={{ maxZoom: 1, padding: 0.04 }}
          minZoom={0.1}
          snapToGrid
          snapGrid={[1, 1]}
          nodesConnectable={false}
          deleteKeyCode={null}
        >
          <Background gap={24} />
          <Controls showInteractive={false} />
          {map.entities.length > 15 && <MiniMap pannable zoomable />}
        </ReactFlow>
      </div>
    </>
  );
}
