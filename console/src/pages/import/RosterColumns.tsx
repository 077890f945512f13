import type { Schemas } from "../../api/client";

interface Props {
  preview: Schemas["RosterPreview"];
  /** The headers that were chosen, by field; of others those that were found hold. */
  columns: Record<string, string>;
  /** The one class that is taken; "" for all. */
  only: string;
  onChange(columns: Record<string, string>): void;
  onOnly(name: string): void;
}

const fields = ["login", "name", "given name", "family name", "e-mail", "group", "role"];

/** From which column each field is read: as it was found, or as one chooses. */
export function RosterColumns({ preview, columns, only, onChange, onOnly }: Props) {
  if (preview.classes.length > 0)
    return (
      <p className="actions">
        <label>
          Class{" "}
          <select value={only} onChange={(event) => onOnly(event.target.value)}>
            <option value="">all of the file, as groups</option>
            {(only && !preview.classes.includes(only) ? [only, ...preview.classes] : preview.classes).map((name) => (
              <option key={name}>{name}</option>
            ))}
          </select>
        </label>
      </p>
    );
  const used = Object.values(preview.columns);
  const unused = preview.headers.filter((header) => header !== "" && !used.includes(header));
  return (
    <details open={Object.keys(columns).length > 0 || preview.lines.every((line) => line.state === "wrong")}>
      <summary>
        Columns:{" "}
        {fields
          .filter((f) => preview.columns[f])
          .map((f) => `${f} from “${preview.columns[f]}”`)
          .join(", ")}
        {unused.length > 0 && `; not read: ${unused.map((header) => `“${header}”`).join(", ")}`}
      </summary>
      <p className="actions">
        {fields.map((field) => (
          <label key={field}>
            {field}{" "}
            <select
              value={columns[field] ?? preview.columns[field] ?? ""}
              onChange={(event) => onChange({ ...columns, [field]: event.target.value })}
            >
              <option value="">none</option>
              {preview.headers.map((header, i) => (
                <option key={i}>{header}</option>
              ))}
            </select>
          </label>
        ))}
      </p>
    </details>
  );
}
