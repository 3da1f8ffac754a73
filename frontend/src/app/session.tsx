import { useQuery, useQueryClient } from "@tanstack/react-query";
import { createContext, useContext, useEffect, useState, type ReactNode } from "react";
import type { Session } from "../api/client";
import { sessionQuery } from "../api/queries";
import { useMatch } from "react-router";
import { EnterPage } from "../features/signin/EnterPage";
import { FirstStart } from "../features/signin/FirstStart";
import { SignInForm, SignInPage } from "../features/signin/SignIn";
import { setZone } from "../ui/format";
import { Failure, Loading } from "../ui/Message";
import { Modal } from "../ui/Modal";

export type Person = NonNullable<Session["person"]>;

const PersonContext = createContext<{ person: Person; plant: string } | null>(null);
const SIGN_IN_WANTED = "sign-in-wanted";

/** Called when the server says that nobody is signed in any more. */
export function askToSignIn() {
  window.dispatchEvent(new Event(SIGN_IN_WANTED));
}

export function usePerson(): Person {
  const found = useContext(PersonContext);
  if (!found) throw new Error("usePerson outside of a session");
  return found.person;
}

export function usePlant(): string {
  return useContext(PersonContext)?.plant ?? "";
}

export function useMay(action: string): boolean {
  return usePerson().may.includes(action);
}

/** Shows the sign-in page to a stranger; to somebody whose session ran out, a dialog over the page with everything still on it. */
export function SessionGate({ children }: { children: ReactNode }) {
  const queries = useQueryClient();
  const session = useQuery({ ...sessionQuery, staleTime: Infinity });
  const [expired, setExpired] = useState(false);
  const entry = useMatch("/enter/:secret");
  useEffect(() => {
    const want = () => setExpired(true);
    window.addEventListener(SIGN_IN_WANTED, want);
    return () => window.removeEventListener(SIGN_IN_WANTED, want);
  }, []);
  if (session.isPending) return <Loading what="your session" />;
  if (session.isError) {
    return (
      <main className="mx-auto max-w-xl p-8">
        <Failure error={session.error} retry={() => void session.refetch()} />
      </main>
    );
  }
  setZone(session.data.time_zone);
  const signedIn = (next: Session) => {
    queries.setQueryData(sessionQuery.queryKey, next);
    setExpired(false);
    void queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "session" });
  };
  const person = session.data.person;
  if (entry) return <EnterPage secret={entry.params.secret ?? ""} plant={session.data.plant} />;
  if (session.data.is_new) return <FirstStart onSignedIn={signedIn} />;
  if (!person) return <SignInPage plant={session.data.plant} onSignedIn={signedIn} />;
  return (
    <PersonContext value={{ person, plant: session.data.plant }}>
      {children}
      <Modal open={expired} onClose={() => undefined} title="Sign in again">
        <p>Your session has ended. What you typed is still on the page behind this; sign in and go on.</p>
        <SignInForm onSignedIn={signedIn} username={person.username} />
      </Modal>
    </PersonContext>
  );
}
