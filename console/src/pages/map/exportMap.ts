/** Saves the map as it is laid out now: the service draws it, so that it is the same as the command's. */
export async function exportMap(
  dataset: string,
  table: string,
  moved: Record<string, { x: number; y: number }>,
  dark: boolean,
  kind: "svg" | "png",
) {
  const at = Object.entries(moved)
    .map(([name, p]) => `${name}:${p.x},${p.y}`)
    .join(" ");
  const query = new URLSearchParams({ format: "svg", table, at, dark: String(dark) });
  const response = await fetch(`/api/datasets/${encodeURIComponent(dataset)}/map?${query}`);
  const svg = await response.text();
  const source = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  save(kind === "svg" ? source : await toPng(source), `${dataset}-map.${kind}`);
}

async function toPng(source: string) {
  const image = new Image();
  image.src = source;
  await image.decode();
  const canvas = document.createElement("canvas");
  canvas.width = image.naturalWidth * 2; // sharp on paper
  canvas.height = image.naturalHeight * 2;
  canvas.getContext("2d")!.drawImage(image, 0, 0, canvas.width, canvas.height);
  return canvas.toDataURL("image/png");
}

function save(href: string, name: string) {
  const link = document.createElement("a");
  link.href = href;
  link.download = name;
  link.click();
}
