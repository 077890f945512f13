import { answer, api, problemOf } from "../../api/client";
import { downloadText } from "../../parts/download";
import { drafts } from "../../work/drafts";

/** Saves a paper with one's answers and their results as a file. It returns what is to be said of it. */
export async function savePaper(paper: string, format: "html" | "markdown"): Promise<string> {
  try {
    await drafts.save(); // what is in the file is what stands on the page
    const params = { path: { paper }, query: { format } };
    const text = await answer(api.GET("/api/papers/{paper}/file", { params, parseAs: "text" }));
    const html = format === "html";
    const file = html ? await withFormulas(text as string) : (text as string);
    downloadText(`${paper}.${html ? "html" : "md"}`, html ? "text/html" : "text/markdown", file);
    return "Saved.";
  } catch (error) {
    const problem = problemOf(error);
    return `Not saved: ${problem.title}. ${problem.detail}`;
  }
}

/** Draws the formulas of a page. */
async function withFormulas(page: string) {
  const read = new DOMParser().parseFromString(page, "text/html");
  const formulas = read.querySelectorAll<HTMLElement>(".math");
  if (!formulas.length) return page;
  const { draw } = await import("../../parts/mathematics");
  formulas.forEach(draw);
  return "<!doctype html>\n" + read.documentElement.outerHTML;
}
