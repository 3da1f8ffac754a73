import { Button as Base } from "@headlessui/react";
import type { ReactNode } from "react";
import { Link } from "react-router";

type Kind = "primary" | "plain" | "quiet" | "danger";
const LOOK: Record<Kind, string> = {
  primary: "bg-water text-on-water border-water hover:brightness-110",
  plain: "bg-page text-water border-rule-strong hover:border-water",
  quiet: "bg-transparent text-water border-transparent hover:border-rule-strong underline-offset-4",
  danger: "bg-page text-iron border-iron hover:bg-iron-soft",
};
const SHAPE =
  "inline-flex items-center justify-center gap-2 rounded-md border-2 px-4 font-bold min-h-12 disabled:opacity-55 data-disabled:opacity-55";

interface Props {
  children: ReactNode;
  kind?: Kind;
  type?: "button" | "submit";
  onClick?: () => void;
  disabled?: boolean;
  large?: boolean;
  label?: string;
  className?: string;
  autoFocus?: boolean;
  pressed?: boolean;
}

export function Button({ children, kind = "plain", type = "button", onClick, disabled, large, label, className = "", autoFocus, pressed }: Props) {
  return (
    <Base
      type={type}
      onClick={onClick}
      disabled={disabled}
      aria-label={label}
      autoFocus={autoFocus}
      aria-pressed={pressed}
      className={`${SHAPE} ${LOOK[kind]} ${large ? "min-h-14 px-6 text-lg" : ""} ${pressed ? "border-water bg-water-soft" : ""} ${className}`}
    >
      {children}
    </Base>
  );
}

export function LinkButton({ children, to, kind = "plain", href, onClick }: { children: ReactNode; to?: string; href?: string; kind?: Kind; onClick?: () => void }) {
  const look = `${SHAPE} ${LOOK[kind]}`;
  if (href) {
    return (
      <a href={href} className={look} target="_blank" rel="noreferrer" onClick={onClick}>
        {children}
      </a>
    );
  }
  return (
    <Link to={to ?? "/"} className={look}>
      {children}
    </Link>
  );
}
