import type { ReactNode } from "react";

/** A table under its heading; on a narrow window it is moved sideways, by keyboard too. */
export function Lines(of: { title: string; head: string[]; none?: string; children: ReactNode[] | ReactNode }) {
  return (
    <>
      <h2>{of.title}</h2>
      {of.none ? (
        <p className="quiet">{of.none}</p>
      ) : (
        <div className="service-lines" role="group" aria-label={of.title} tabIndex={0}>
          <table>
            <thead>
              <tr>
                {of.head.map((name) => (
                  <th key={name}>{name}</th>
                ))}
              </tr>
            </thead>
            <tbody>{of.children}</tbody>
          </table>
        </div>
      )}
    </>
  );
}
