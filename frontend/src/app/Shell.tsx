import { useMutation, useQueryClient } from "@tanstack/react-query";
import { CircleHelp, LogOut, Moon, Sun } from "lucide-react";
import { useState, type ReactNode } from "react";
import { Link, NavLink, useLocation, useNavigate } from "react-router";
import { client, unwrap } from "../api/client";
import { sessionQuery } from "../api/queries";
import { NotStored } from "../ui/NotStored";
import { Ring } from "../ui/Ring";
import { Insistence } from "../features/holds/Insistence";
import { HoldStrip } from "./HoldStrip";
import { usePerson, usePlant } from "./session";
import { ShortcutSheet, useShortcuts } from "./shortcuts";
import { ServerStrip } from "./ServerStrip";
import { keepTheme, storedTheme, type Theme } from "./theme";

const PLACES = [
  { to: "/", label: "Today", key: "t" },
  { to: "/plan", label: "Plan", key: "l" },
  { to: "/plant", label: "Plant", key: "p" },
  { to: "/kit", label: "Kit", key: "k" },
  { to: "/holds", label: "Holds", key: "h" },
  { to: "/records", label: "Records", key: "r" },
  { to: "/calculators", label: "Calculators", key: "c" },
];

const ICON_BUTTON = "inline-flex min-h-12 min-w-12 items-center justify-center gap-2 rounded-md px-2 text-slate hover:bg-water-soft";

export function Shell({ children }: { children: ReactNode }) {
  const person = usePerson();
  const plant = usePlant();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [help, setHelp] = useState(false);
  const onTheWall = useLocation().pathname === "/wall";
  const [theme, setTheme] = useState<Theme>(storedTheme());
  const signOut = useMutation({
    mutationFn: () => unwrap(client.DELETE("/api/v1/session/")),
    onSuccess: (session) => {
      queries.clear();
      queries.setQueryData(sessionQuery.queryKey, session);
      void navigate("/");
    },
  });
  useShortcuts([
    { keys: "?", says: "show this list", run: () => setHelp(true) },
    ...PLACES.map((p) => ({ keys: p.key, says: `go to ${p.label}`, run: () => void navigate(p.to) })),
  ]);
  const turn = () => {
    const next = theme === "dark" ? "light" : "dark";
    keepTheme(next);
    setTheme(next);
  };
  if (onTheWall) return children;
  return (
    <div className="flex min-h-screen flex-col lg:h-screen">
      <a href="#content" className="sr-only focus:not-sr-only focus:absolute focus:z-50 focus:bg-page focus:p-3">
        To the content
      </a>
      <header className="flex flex-wrap items-center gap-x-6 border-b-2 border-slate bg-page px-4">
        <div className="flex items-center gap-2 py-1">
          <Ring closed={0.86} size={26} state="open" />
          <span className="text-lg font-bold">Verify Loop</span>
          <span className="hidden text-sm text-muted md:inline">{plant}</span>
        </div>
        <nav aria-label="Main" className="order-last flex w-full md:order-none md:w-auto">
          {PLACES.map((p) => (
            <NavLink
              key={p.to}
              to={p.to}
              end={p.to === "/"}
              className={({ isActive }) =>
                `inline-flex min-h-12 items-center border-b-4 px-4 font-bold ${isActive ? "border-water text-water" : "border-transparent text-slate hover:border-rule"}`
              }
            >
              {p.label}
            </NavLink>
          ))}
        </nav>
        <div className="ml-auto flex items-center gap-1">
          <Link to="/own" title="Your password and your device" className="hidden min-h-12 flex-col justify-center rounded-md px-2 text-right text-sm leading-tight hover:bg-water-soft sm:flex">
            <span className="block font-bold">{person.name}</span>
            {person.lacks_device ? <span className="block font-bold text-iron">set up your device</span> : <span className="block text-muted">{person.role}</span>}
          </Link>
          <button type="button" className={ICON_BUTTON} onClick={() => setHelp(true)}>
            <CircleHelp size={20} aria-hidden="true" />
            <span className="hidden xl:inline">Keys</span>
            <span className="sr-only xl:hidden">Keyboard shortcuts</span>
          </button>
          <button type="button" className={ICON_BUTTON} onClick={turn}>
            {theme === "dark" ? <Sun size={20} aria-hidden="true" /> : <Moon size={20} aria-hidden="true" />}
            <span className="hidden xl:inline">{theme === "dark" ? "Light" : "Dark"}</span>
            <span className="sr-only xl:hidden">{theme === "dark" ? "Light theme" : "Dark theme"}</span>
          </button>
          <button type="button" className={ICON_BUTTON} onClick={() => signOut.mutate()}>
            <LogOut size={20} aria-hidden="true" />
            <span className="hidden xl:inline">Sign out</span>
            <span className="sr-only xl:hidden">Sign out</span>
          </button>
        </div>
      </header>
      <NotStored />
      <ServerStrip />
      <HoldStrip me={person.username} />
      <Insistence />
      <main id="content" className="min-h-0 flex-1 lg:overflow-y-auto">
        {children}
      </main>
      <ShortcutSheet open={help} onClose={() => setHelp(false)} />
    </div>
  );
}
