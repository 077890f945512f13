import { behind, headingOf, headingText } from "./pieces";
import { TextSpace } from "./TextSpace";

interface Props {
  text: string;
  /** Under which an exercise is known already: it stays when the title changes. */
  slug: string;
  exercise: boolean;
  onChange(text: string): void;
}

/** A section's title, and its name in addresses. */
export function HeadingEditor({ text, slug, exercise, onChange }: Props) {
  const heading = headingOf(text);
  if (!heading) return <TextSpace label="Heading" text={text} onChange={onChange} />;
  const keep = (title: string) => ({ title, name: heading.name || (exercise && title ? slug : "") });
  return (
    <div className="heading-editor">
      <label>
        Title{" "}
        <input
          value={heading.title}
          placeholder="A few words"
          onChange={(event) => onChange(headingText(keep(event.target.value), behind(text)))}
        />
      </label>
      {exercise && (
        <label>
          Name in addresses{" "}
          <input
            value={heading.name}
            placeholder={slug || "made of the title"}
            spellCheck={false}
            onChange={(event) => {
              const name = event.target.value.toLowerCase().replace(/[^a-z0-9-]+/g, "-");
              onChange(headingText({ ...heading, name }, behind(text)));
            }}
          />
        </label>
      )}
    </div>
  );
}
