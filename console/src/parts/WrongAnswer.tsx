import type { Schemas } from "../api/client";

interface Props {
  edit: Schemas["Edit"];
  /** Only the lines with the change. */
  short?: boolean;
  label?: string;
}

/** An answer with a change: of one that is right to a wrong one, or the other way round. */
export function WrongAnswer({ edit, short = false, label = "The wrong answer" }: Props) {
  const before = short ? edit.before.slice(edit.before.lastIndexOf("\n") + 1) : edit.before;
  const end = edit.after.indexOf("\n");
  const after = short && end >= 0 ? edit.after.slice(0, end) : edit.after;
  return (
    <pre className="wrong-answer" aria-label={label}>
      {before.length < edit.before.length && "… "}
      {before.trimStart()}
      {edit.was && (
        <del>
          <span className="away">[instead of </span>
          {edit.was}
          <span className="away">]</span>
        </del>
      )}
      {edit.was && edit.is && " "}
      {edit.is && <ins>{edit.is.trimEnd()}</ins>}
      {edit.is.endsWith(" ") && " "}
      {after}
      {after.length < edit.after.length && " …"}
    </pre>
  );
}
