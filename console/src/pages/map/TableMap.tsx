import "@xyflow/react/dist/style.css";
import { Button, Select } from "antd";
import {
  Background,
  Controls,
  MiniMap,
  ReactFlow,
  useNodesState,
  useReactFlow,
  useStore,
  type NodeChange,
} from "@xyflow/react";
import { useMemo, useState, type ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { EntityNode, type EntityOnMap } from "./EntityNode";
import { exportMap } from "./exportMap";
import { frame, GroupNode, type GroupOnMap } from "./GroupNode";
import { RelationEdge, type RelationOnMap } from "./RelationEdge";

const nodeTypes = { entity: EntityNode, frame: GroupNode };
const edgeTypes = { relation: RelationEdge };

interface Props {
  dataset: string;
  table: string;
  map: Schemas["DatasetMap"];
  dark: boolean;
  head: ReactNode;
  onAround(table: string): void;
}

/** What the ids of frames begin with, as no table's name does. */
const frameId = "\n";

/** Below this scale columns cannot be read: tables show their names alone. */
const namesOnly = 0.45;

type Places = Record<string, { x: number; y: number }>;

/** Tables that can be moved, zoomed and found. Where they were moved to is kept in the browser. */
export function TableMap({ dataset, table, map, dark, head, onAround }: Props) {
  const key = `map ${dataset} ${table}`;
  const [moved, setMoved] = useState<Places>(() => JSON.parse(localStorage.getItem(key) ?? "{}") as Places);
  const [chosen, setChosen] = useState("");
  const flow = useReactFlow();
  const far = useStore((s) => s.transform[2] < namesOnly);
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
        zIndex: 0,
        data: {
          line,
          straight: Boolean(moved[line.relation.from] ?? moved[line.relation.to]),
          marked: chosen !== "" && (line.relation.from === chosen || line.relation.to === chosen),
        },
      })),
    [map, moved, chosen],
  );
  const frames = useMemo<GroupOnMap[]>(() => {
    const boxes = new Map(
      nodes.map((n) => [n.id, { ...n.position, width: n.data.entity.width, height: n.data.entity.height }]),
    );
    return (map.groups ?? []).map((group, i) => {
      const { x, y, ...size } = frame(group.tables.map((t) => boxes.get(t)!));
      const heading = group.name ? `Around ${group.name}` : "Without relations";
      // Measured beforehand: what the drawing measures anew is told as a change, and frames keep none.
      return {
        id: `${frameId}${i}`,
        type: "frame",
        position: { x, y },
        ...size,
        measured: size,
        zIndex: -1,
        draggable: false,
        selectable: false,
        focusable: false,
        data: { heading },
      };
    });
  }, [map.groups, nodes]);

  function remember(places: Places) {
    setMoved(places);
    localStorage.setItem(key, JSON.stringify(places));
  }
  function onMoved(changes: NodeChange<EntityOnMap>[]) {
    if (changes.length === 0) return;
    onNodesChange(changes);
    const now: Places = {};
    for (const c of changes)
      if (c.type === "position" && c.position) now[c.id] = { x: Math.round(c.position.x), y: Math.round(c.position.y) };
    if (Object.keys(now).length > 0) remember({ ...moved, ...now });
  }
  function tidy() {
    remember({});
    setNodes((all) => all.map((n) => ({ ...n, position: { x: n.data.entity.x, y: n.data.entity.y } })));
    setTimeout(() => void flow.fitView(), 0);
  }
  function find(place: string) {
    const name = place.split("\n")[0]; // of a column's table
    setChosen(name);
    setNodes((all) => all.map((n) => ({ ...n, selected: n.id === name })));
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
          placeholder="Find a table or column"
          aria-label="Find a table or column"
          value={chosen || undefined}
          options={findable(map)}
          optionFilterProp="label"
          popupMatchSelectWidth={false}
          onChange={find}
        />
        {chosen && !table && (
          <Button size="small" onClick={() => onAround(chosen)}>
            Only related tables
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
        <ReactFlow<EntityOnMap | GroupOnMap, RelationOnMap>
          className={far ? "map-far" : undefined}
          nodes={[...frames, ...nodes]}
          edges={edges}
          nodeTypes={nodeTypes}
          edgeTypes={edgeTypes}
          onNodesChange={(changes) =>
            onMoved(changes.filter((c) => !("id" in c && c.id.startsWith(frameId))) as NodeChange<EntityOnMap>[])
          }
          onNodeClick={(_, node) => setChosen(node.type === "entity" ? node.id : "")}
          onPaneClick={() => setChosen("")}
          colorMode={dark ? "dark" : "light"}
          fitView
          fitViewOptions={{ maxZoom: 1, padding: 0.04 }}
          minZoom={0.05}
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

/** What can be found: the tables, and each column with its table. */
function findable(map: Schemas["DatasetMap"]) {
  const tables = map.entities.map(({ table }) => ({ value: table.name, label: table.name }));
  const columns = map.entities.flatMap(({ table }) =>
    table.columns.map((c) => ({ value: `${table.name}\n${c.name}`, label: `${table.name}.${c.name}` })),
  );
  return [...tables, ...columns];
}
