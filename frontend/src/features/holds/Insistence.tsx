import { useState } from "react";
import { useLocation } from "react-router";
import { useHolds } from "../../api/queries";
import { usePerson } from "../../app/session";
import { Button, LinkButton } from "../../ui/Button";
import { clock, span } from "../../ui/format";
import { Modal } from "../../ui/Modal";
import { useNow } from "../../ui/useNow";
import { ExtendForm } from "./HoldForms";

const SNOOZE_MS = 5 * 60_000;
const KEY = "overdue-asked-at";

/** Past its planned end a hold asks its holder, on whatever page, what is to become of it; and asks again every five minutes.
 *  A stray touch beside the dialog is no answer: only its own buttons close it, so a reason half typed is never lost. */
export function Insistence() {
  const holds = useHolds();
  const me = usePerson();
  const now = useNow(5_000);
  const { pathname } = useLocation();
  const [asked, setAsked] = useState(() => Number(sessionStorage.getItem(KEY) ?? 0));
  const [longer, setLonger] = useState(false);
  const late = (holds.data ?? []).find((h) => h.holder === me.username && Date.parse(h.until) < now);
  const later = () => {
    sessionStorage.setItem(KEY, String(Date.now()));
    setAsked(Date.now());
    setLonger(false);
  };
  if (!late || now - asked < SNOOZE_MS) return null;
  const there = pathname === `/run/${late.run}`;
  return (
    <Modal open onClose={() => undefined} title={`${late.tag} is still on hold`}>
      <p>
        Your {late.kind} was planned until {clock(late.until)}; that was {span(now - Date.parse(late.until))} ago. {late.risk}
      </p>
      {longer ? (
        <ExtendForm hold={late} onDone={later} />
      ) : (
        <div className="flex flex-wrap justify-end gap-3">
          <Button onClick={later}>Ask me again in 5 min</Button>
          <Button onClick={() => setLonger(true)}>It takes longer</Button>
          {there ? (
            <Button kind="primary" onClick={later}>
              I am at it
            </Button>
          ) : (
            <LinkButton to={late.run_status === "voided" ? "/holds" : `/run/${late.run}`} kind="primary">
              Go and release it
            </LinkButton>
          )}
        </div>
      )}
    </Modal>
  );
}
