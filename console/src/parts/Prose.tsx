import Markdown from "react-markdown";
import remarkGfm from "remark-gfm";

/** Narrative, from Markdown. Raw HTML in it stays text. */
export function Prose({ text }: { text: string }) {
  return (
    <div className="prose">
      <Markdown remarkPlugins={[remarkGfm]}>{text}</Markdown>
    </div>
  );
}
