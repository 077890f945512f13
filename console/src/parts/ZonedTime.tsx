import { useState } from "react";
import { instantOf, wallOf } from "./zoned";

interface Props {
  label: string;
  /** A time in UTC; undefined for none. */
  value?: string;
  zone: string;
  /** Of two times that the clocks show alike the later is meant. */
  end?: boolean;
  required?: boolean;
  onChange(value?: string): void;
}

/** A field for a time by the clocks of a course. */
export function ZonedTime({ label, value, zone, end = false, required, onChange }: Props) {
  const [typed, setTyped] = useState<string | null>(null); // what is no time that comes
  return (
    <label>
      {label}{" "}
      <input
        type="datetime-local"
        required={required}
        value={typed ?? (value ? wallOf(value, zone) : "")}
        onChange={(event) => {
          const wall = event.target.value;
          const instant = wall ? instantOf(wall, zone, end) : undefined;
          event.target.setCustomValidity(
            instant === null ? `The clocks of ${zone} skip this time: choose another.` : "",
          );
          setTyped(instant === null ? wall : null);
          if (instant !== null) onChange(instant);
        }}
      />
    </label>
  );
}
