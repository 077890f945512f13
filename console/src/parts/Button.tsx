import type { ButtonHTMLAttributes } from "react";

interface Props extends Omit<ButtonHTMLAttributes<HTMLButtonElement>, "type"> {
  type?: "primary" | "link";
  size?: "small";
  htmlType?: "button" | "submit";
  /** What it does is being done; it takes no press meanwhile. */
  loading?: boolean;
}

/** A button of the learner's pages, which load without Ant Design. */
export function Button({ type, size, htmlType = "button", loading = false, disabled, className, ...rest }: Props) {
  const kind = ["button", type && `button-${type}`, size && "button-small", className].filter(Boolean).join(" ");
  return <button {...rest} type={htmlType} className={kind} disabled={disabled || loading} aria-busy={loading} />;
}
