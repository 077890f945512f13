import { useState } from "react";
import { moment } from "../../parts/words";
import type { OwnText } from "./TryPage";

interface Props {
  texts: OwnText[];
  chosen?: string;
  onChoose(id?: string): void;
}

/** The texts that one keeps, the one changed last first; found by their names and by what stands in them. */
export function TextList({ texts, chosen, onChoose }: Props) {
  const [sought, setSought] = useState("");
  const found = texts.filter((t) => `${t.name}\n${t.sql}`.toLowerCase().includes(sought.toLowerCase()));
  return (
    <nav className="text-list" aria-label="My texts">
      <label>
        Find <input type="search" value={sought} onChange={(event) => setSought(event.target.value)} />
      </label>
      <ul>
        <li>
          <button type="button" aria-current={chosen === undefined} onClick={() => onChoose()}>
            Without a name
          </button>
        </li>
        {found.map((text) => (
          <li key={text.id}>
            <button type="button" aria-current={text.id === chosen} onClick={() => onChoose(text.id)}>
              {text.name} <small>{`${text.dataset}, ${moment(text.at)}`}</small>
            </button>
          </li>
        ))}
      </ul>
      {texts.length === 0 && <p className="quiet">You keep no text yet.</p>}
      {texts.length > 0 && found.length === 0 && <p className="quiet">No text of yours has that in it.</p>}
    </nav>
  );
}
