import { Button, Checkbox, Input } from "antd";
import { useRef, useState } from "react";
import { useNavigate } from "react-router";
import { problemOf, sendFiles, type Problem } from "../../api/client";
import { ProblemNote } from "../../parts/ProblemNote";
import { bytes } from "../../parts/words";

/** Sends setup scripts or CSV files to be built. */
export function BuildForm() {
  const [files, setFiles] = useState<File[]>([]);
  const [name, setName] = useState("");
  const [title, setTitle] = useState("");
  const [encoding, setEncoding] = useState("");
  const [keepGoing, setKeepGoing] = useState(false);
  const [sent, setSent] = useState<number | null>(null);
  const [problem, setProblem] = useState<Problem | null>(null);
  const choose = useRef<HTMLInputElement>(null);
  const chooseFolder = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const folder = files.some((f) => f.webkitRelativePath);
  const pack = folder && files.some((f) => within(f) === "pack.yaml");
  const several = files.length > 1;
  const total = files.reduce((sum, f) => sum + f.size, 0);

  function take(list: FileList | null) {
    const chosen = [...(list ?? [])].filter(
      (f) => !f.webkitRelativePath.split("/").some((part) => part.startsWith(".")),
    );
    setFiles(chosen);
    if (!name && chosen[0]) setName(slug(chosen[0].webkitRelativePath.split("/")[0] || chosen[0].name));
  }

  async function build() {
    setProblem(null);
    setSent(0);
    try {
      const parts = files.map((file) => ({ path: within(file) || file.name, file }));
      const options = new URLSearchParams({
        title,
        encoding,
        keep_going: String(keepGoing),
        folder: String(several),
        ask: "true",
      });
      const to = pack ? "/api/packs" : `/api/datasets/${encodeURIComponent(name)}/builds?${options}`;
      const job = await sendFiles(to, parts, setSent);
      void navigate(`/builds/${job.id}`);
    } catch (error) {
      setProblem(problemOf(error));
      setSent(null);
    }
  }

  return (
    <section className="build-form">
      <h2>Build a dataset, or load a pack</h2>
      <p className="quiet">
        From SQL scripts, as they are written by hand or by pg_dump, plain or compressed with gzip, or from CSV files
        alone. Scripts run in name order, except those included by others; choose the files that they include or copy
        with them. The current build stays in use until the new one is ready. A folder with a pack.yaml is a pack: its
        datasets are built, and its papers loaded.
      </p>
      <input ref={choose} type="file" multiple hidden onChange={(e) => take(e.target.files)} data-choose="files" />
      <input
        ref={chooseFolder}
        type="file"
        hidden
        {...{ webkitdirectory: "" }}
        onChange={(e) => take(e.target.files)}
        data-choose="folder"
      />
      <div className="actions">
        <Button onClick={() => choose.current?.click()}>Choose files</Button>
        <Button onClick={() => chooseFolder.current?.click()}>Choose a folder</Button>
        <span className="quiet">
          {files.length === 0
            ? "No files selected."
            : `${pack ? "A pack: " : folder ? "A folder: " : ""}${files
                .slice(0, 4)
                .map((f) => f.name)
                .join(", ")}${files.length > 4 ? ` and ${files.length - 4} more` : ""}, ${bytes(total)}`}
        </span>
      </div>
      {!pack && (
        <>
          <div className="fields">
            <label>
              Name{" "}
              <Input
                value={name}
                onChange={(e) => setName(e.target.value)}
                placeholder="lower-case letters, digits, hyphens"
              />
            </label>
            <label>
              Title <Input value={title} onChange={(e) => setTitle(e.target.value)} placeholder="as learners read it" />
            </label>
            <label>
              Encoding{" "}
              <Input
                value={encoding}
                onChange={(e) => setEncoding(e.target.value)}
                placeholder="e.g. UTF-8 or LATIN1"
              />
            </label>
          </div>
          <Checkbox checked={keepGoing} onChange={(e) => setKeepGoing(e.target.checked)}>
            Continue after errors and list them all
          </Checkbox>
        </>
      )}
      <div className="actions sends">
        <Button type="primary" disabled={files.length === 0 || !name || sent !== null} onClick={() => void build()}>
          {pack ? "Load the pack" : "Build"}
        </Button>
        {sent !== null && <span>{`Sending: ${bytes(sent)} of ${bytes(total)}`}</span>}
      </div>
      {problem && <ProblemNote problem={problem} />}
    </section>
  );
}

/** A file's path within the folder that was chosen; "" for a file that was chosen by itself. */
function within(file: File) {
  return file.webkitRelativePath.split("/").slice(1).join("/");
}

function slug(name: string) {
  return name
    .split(".")[0]
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-|-$/g, "");
}
