import type { Schemas } from "../../api/client";
import { kinds } from "../write/changes";

/** Papers that were changed in the console since their pack was loaded: what differs on both sides. */
export function Differences({ differences }: { differences: Schemas["PaperDifference"][] }) {
  return (
    <section className="breaks">
      <h2>Papers were changed in the console since the pack was loaded</h2>
      <p>
        Nothing is loaded yet. The files would take the place of what is in the console, which is kept among the
        versions of the paper. To bring both together, export the pack and merge its files.
      </p>
      {differences.map((d) => (
        <section key={d.paper}>
          <h3>{d.paper}</h3>
          <p>In the console: {said(d.console)}.</p>
          <p>In the files: {said(d.files)}.</p>
        </section>
      ))}
    </section>
  );
}

function said(changes: Schemas["SectionChange"][]) {
  return changes.map((c) => `${c.title || "the beginning"} (${kinds[c.kind]})`).join(", ") || "nothing";
}
