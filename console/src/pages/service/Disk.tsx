import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { bytes } from "../../parts/words";
import { Lines } from "./Lines";

type Space = Schemas["Space"];

/** What each dataset and its copies take on the practice servers. */
export function Disk({ of: { datasets, passing } }: { of: Schemas["Status"] }) {
  const most = Math.max(1, passing.bytes, ...datasets.map((dataset) => dataset.bytes));
  return (
    <Lines
      title="Disk"
      head={["Dataset", "In use, with variants", "Earlier builds", "Templates of copies", "Learners’ copies", "In all"]}
    >
      {datasets.map((dataset) => (
        <tr key={dataset.dataset}>
          <td>
            <Link to={`/datasets/${dataset.dataset}`}>{dataset.dataset}</Link>
          </td>
          <td>{space(dataset.in_use)}</td>
          <td>{space(dataset.earlier)}</td>
          <td>{space(dataset.templates)}</td>
          <td>{space(dataset.copies)}</td>
          <Sum bytes={dataset.bytes} most={most} />
        </tr>
      ))}
      {passing.databases > 0 && (
        <tr>
          <td colSpan={5} className="quiet">
            Copies held ready, or of checks: {passing.databases}
          </td>
          <Sum bytes={passing.bytes} most={most} />
        </tr>
      )}
    </Lines>
  );
}

function Sum({ bytes: n, most }: { bytes: number; most: number }) {
  return (
    <td className="whole">
      <span className="space-bar" style={{ width: `${(100 * n) / most}px` }} aria-hidden /> {bytes(n)}
    </td>
  );
}

function space({ databases, bytes: n }: Space) {
  if (databases === 0) return "";
  return databases === 1 ? bytes(n) : `${bytes(n)} in ${databases} databases`;
}
