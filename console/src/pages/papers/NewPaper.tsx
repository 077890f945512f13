import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { answer, api, problemOf, type Problem, type Schemas } from "../../api/client";
import { Button } from "../../parts/Button";
import { ProblemNote } from "../../parts/ProblemNote";

interface Props {
  papers: Schemas["PaperSummary"][];
  /** The dataset that the paper is to be about. */
  dataset?: string;
  onClose(): void;
}

/** Begins a paper: about a dataset, or as a copy of another one. */
export function NewPaper({ papers, dataset, onClose }: Props) {
  const navigate = useNavigate();
  const datasets = useQuery({ queryKey: ["datasets"], queryFn: () => answer(api.GET("/api/datasets")) });
  const [title, setTitle] = useState("");
  const [name, setName] = useState<string | null>(null); // null: made of the title
  const [about, setAbout] = useState(dataset ?? "");
  const [copy, setCopy] = useState("");
  const [problem, setProblem] = useState<Problem>();
  const slug = name ?? slugOf(title);
  const chosen = about || datasets.data?.[0]?.name || "";
  async function begin() {
    try {
      const body = copy ? { slug, title, copy } : { slug, title, dataset: chosen };
      await answer(api.POST("/api/papers", { body }));
      void navigate(`/papers/${slug}/write`);
    } catch (error) {
      setProblem(problemOf(error));
    }
  }
  return (
    <form
      className="new-paper"
      aria-label="New paper"
      onSubmit={(event) => {
        event.preventDefault();
        void begin();
      }}
    >
      <label>
        Title <input value={title} required maxLength={200} onChange={(event) => setTitle(event.target.value)} />
      </label>
      <label>
        Name in addresses{" "}
        <input
          value={slug}
          required
          pattern="[a-z0-9]+(-[a-z0-9]+)*"
          title="Lower-case letters, digits and single hyphens"
          onChange={(event) => setName(event.target.value)}
        />
      </label>
      <label>
        Begin with{" "}
        <select value={copy} onChange={(event) => setCopy(event.target.value)}>
          <option value="">an empty paper</option>
          {papers.map((paper) => (
            <option key={paper.slug} value={paper.slug}>
              a copy of {paper.title}
            </option>
          ))}
        </select>
      </label>
      {!copy && (
        <label>
          About the dataset{" "}
          <select value={chosen} onChange={(event) => setAbout(event.target.value)}>
            {datasets.data?.map((d) => (
              <option key={d.name} value={d.name}>
                {d.title}
              </option>
            ))}
          </select>
        </label>
      )}
      <p className="actions">
        <Button type="primary" htmlType="submit" disabled={!title.trim() || !slug}>
          Begin it
        </Button>
        <Button onClick={onClose}>Leave it</Button>
      </p>
      {problem && <ProblemNote problem={problem} />}
    </form>
  );
}

function slugOf(title: string) {
  const made = title.toLowerCase().replace(/[^a-z0-9]+/g, "-");
  return made.replace(/^-|-$/g, "").slice(0, 64);
}
