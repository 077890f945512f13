/** Saves what the page holds as a file. */
export function download(name: string, href: string) {
  const link = document.createElement("a");
  link.href = href;
  link.download = name;
  link.click();
}

/** Saves a text as a file. */
export function downloadText(name: string, type: string, text: string) {
  const href = URL.createObjectURL(new Blob([text], { type }));
  download(name, href);
  setTimeout(() => URL.revokeObjectURL(href), 1000);
}
