import { useRef, useState } from "react";
import { Button } from "../../parts/Button";
import { SqlSpace, type SqlHandle } from "../../parts/sql/SqlSpace";
import type { Dataset } from "../../parts/sql/schema";
import { usePreferences } from "../../session";
import { newExercise, newNarrative } from "./pieces";

interface Props {
  /** What the section is to follow, for those who do not see it. */
  behind: string;
  tables?: Dataset;
  onAdd(text: string): void;
}

/** Adds a section here: an exercise, one that begins with a query at hand, or narrative. */
export function AddPart({ behind, tables, onAdd }: Props) {
  const [query, setQuery] = useState<string | null>(null);
  const space = useRef<SqlHandle>(null);
  const { preferences } = usePreferences();
  return (
    <div className="strip add-part">
      {query === null ? (
        <p role="group" aria-label={`Add a section behind ${behind}`}>
          <Button type="link" size="small" onClick={() => onAdd(newExercise("SELECT 1;"))}>
            + Exercise
          </Button>
          <Button type="link" size="small" onClick={() => setQuery("")}>
            + Exercise from a query
          </Button>
          <Button type="link" size="small" onClick={() => onAdd(newNarrative)}>
            + Narrative
          </Button>
        </p>
      ) : (
        <div>
          <p>The query becomes the accepted answer; its columns, order and constructs fill the form.</p>
          <SqlSpace
            ref={space}
            label="A query at hand"
            text={query}
            dataset={tables}
            wrap={preferences.wrap}
            onChange={setQuery}
          />
          <p className="piece-actions">
            <Button
              type="primary"
              size="small"
              disabled={!query.trim()}
              onClick={() => {
                onAdd(newExercise(query.trim()));
                setQuery(null);
              }}
            >
              Make an exercise of it
            </Button>
            <Button size="small" onClick={() => setQuery(null)}>
              Leave it
            </Button>
          </p>
        </div>
      )}
    </div>
  );
}
