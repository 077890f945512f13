import { useEffect, useRef, useState, type MouseEvent, type ReactNode } from "react";

interface Props {
  label: string;
  children: ReactNode;
}

/** What opens beneath a word: it closes with Escape, a click elsewhere, or a button in it that says so. */
export function Menu({ label, children }: Props) {
  const details = useRef<HTMLDetailsElement>(null);
  const [open, setOpen] = useState(false);
  useEffect(() => {
    const close = (event: Event) => {
      if (!details.current?.contains(event.target as Node)) details.current?.removeAttribute("open");
    };
    document.addEventListener("pointerdown", close);
    return () => document.removeEventListener("pointerdown", close);
  }, []);
  const close = () => details.current?.removeAttribute("open");
  return (
    // What is pressed are its summary and buttons; their keys and clicks are heard here.
    // eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
    <details
      ref={details}
      className="tools"
      onToggle={(event) => setOpen(event.currentTarget.open)}
      onKeyDown={(event) => {
        if (event.key !== "Escape") return;
        close();
        details.current?.querySelector("summary")?.focus();
      }}
      onClick={(event: MouseEvent<HTMLElement>) => {
        if ((event.target as HTMLElement).closest("[data-closes]")) close();
      }}
    >
      <summary>{label}</summary>
      {open && <div className="tools-list">{children}</div>}
    </details>
  );
}
