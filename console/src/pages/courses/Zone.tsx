interface Props {
  value: string;
  onChange(zone: string): void;
}

/** A field for a time zone, by its name. */
export function Zone({ value, onChange }: Props) {
  return (
    <label>
      Time zone <input list="zones" value={value} required onChange={(event) => onChange(event.target.value)} />
      <datalist id="zones">
        {Intl.supportedValuesOf("timeZone").map((zone) => (
          <option key={zone} value={zone} />
        ))}
      </datalist>
    </label>
  );
}
