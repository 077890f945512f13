import katex from "katex";

/** Draws a formula in place of its TeX, as MathML. One that cannot be read stays as it was written. */
export function draw(element: HTMLElement) {
  const tex = element.textContent;
  try {
    const displayMode = element.classList.contains("display");
    element.innerHTML = katex.renderToString(tex, { output: "mathml", displayMode });
  } catch {
    element.classList.add("unread");
  }
  element.classList.remove("math"); // it is drawn once
}
