import { useRef, type Ref } from "react";

interface Props {
  label: string;
  text: string;
  ref?: Ref<HTMLTextAreaElement>;
  onChange(text: string): void;
}

/** Where one writes Markdown: as high as its text. */
export function TextSpace({ label, text, ref, onChange }: Props) {
  const own = useRef<HTMLTextAreaElement>(null);
  return (
    <div className="text-space">
      <pre aria-hidden="true">{text + "\n"}</pre>
      <textarea
        ref={ref ?? own}
        aria-label={label}
        value={text}
        rows={1}
        spellCheck
        onChange={(event) => onChange(event.target.value)}
      />
    </div>
  );
}
