"""Who is qualified for what, until when: given, renewed, taken away, and asked when work is planned and when it starts."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from datetime import date, datetime, timedelta

from django.db import transaction
from django.db.models import Q
from django.utils import timezone

from apps.accounts.models import Person, Qualification
from apps.accounts.policy import is_allowed, require
from config.failures import Missing
from metrology.faults import Fault

SOON_DAYS = 60
LONGEST_YEARS = 20


def folded(name: str) -> str:
    """A qualification as it is told from others: in whatever case, with single spaces."""
    return " ".join(name.split()).casefold()


def read_names(text: str) -> tuple[str, ...]:
    """Qualifications as typed one after the other with ; folded, each once."""
    return tuple(dict.fromkeys(folded(part) for part in text.split(";") if part.strip()))


def standing(until: date | None, today: date) -> str:
    """ended, ends soon, or good."""
    if until is None:
        return "good"
    return "ended" if until < today else "ends soon" if until <= today + timedelta(days=SOON_DAYS) else "good"


def _counting(on: date) -> Q:
    return Q(ended_at=None) & (Q(until=None) | Q(until__gte=on))


def held_by(people: Iterable[Person], on: date) -> dict[int, list[str]]:
    """What each of them is qualified for on a day, by who they are."""
    out: dict[int, list[str]] = {p.pk: [] for p in people}
    for pk, name in Qualification.objects.filter(_counting(on), person__in=list(out)).values_list("person_id", "name"):
        out[pk].append(name)
    return out


def lacking(person: Person, wanted: Collection[str], on: date) -> tuple[str, ...]:
    """What somebody is not qualified for, of what is wanted on a day."""
    if not wanted:
        return ()
    held = set(Qualification.objects.filter(_counting(on), person=person, name__in=wanted).values_list("name", flat=True))
    return tuple(sorted(set(wanted) - held))


def holders(wanted: Collection[str], on: date, *, but: Person) -> list[Person]:
    """Who else has all of it on a day, by name."""
    people = Person.objects.filter(is_active=True).exclude(pk=but.pk).order_by("first_name", "last_name")
    held = held_by(people, on)
    return [p for p in people if set(wanted) <= set(held[p.pk])]


def lacking_words(person: Person, missing: Collection[str], today: date) -> str:
    """What is missing, and whether it was there and has ended."""
    known = Qualification.objects.filter(person=person, name__in=missing, ended_at=None, until__lt=today)
    ended = {q.name: q.until for q in known}
    return " and ".join(f"{n} (it ended on {ended[n]:%-d %b %Y})" if n in ended else n for n in sorted(missing))


@transaction.atomic
def give(*, actor: Person, username: str, name: str, until: str, proof: str, now: datetime) -> Qualification:
    """Enter what somebody is qualified for; one of the same name that counts until now is renewed by it."""
    require(actor, "give a qualification")
    person, today = _person(username), timezone.localdate(now)
    names = read_names(name)
    if len(names) != 1 or len(names[0]) > 60:
        raise Fault("missing", "Say what for, one at a time and in at most 60 characters, like 'gas work'.", field="name")
    if person.pk == actor.pk:
        raise Fault("own_work", "Somebody else enters your own qualifications. Nothing was stored.", field="name")
    ends = _read_until(until, today)
    if len(proof.strip()) > 120:
        raise Fault("too_long", "What shows it is longer than 120 characters. Shorten it.", field="proof")
    held = Qualification.objects.filter(person=person, name=names[0], ended_at=None).first()
    if held is not None:
        _end(held, actor, f"Renewed until {ends:%-d %b %Y}." if ends else "Renewed.", now)
    return Qualification.objects.create(person=person, name=names[0], until=ends, proof=proof.strip(), given_at=now, given_by=actor)


@transaction.atomic
def take_away(*, actor: Person, qualification_id: int, why: str, now: datetime) -> Qualification:
    """It counts no longer, with why; what was done under it stays as it was."""
    require(actor, "give a qualification")
    held = Qualification.objects.select_related("person").filter(pk=qualification_id, ended_at=None).first()
    if held is None:
        raise Missing("unknown_qualification", "That does not count any more, or never was.")
    if len(why.strip()) < 5:
        raise Fault("missing", "Say why it is taken away.", field="why")
    _end(held, actor, why.strip()[:300], now)
    return held


def _end(held: Qualification, actor: Person, why: str, now: datetime) -> None:
    held.ended_at, held.ended_by, held.why = now, actor, why
    held.save(update_fields=["ended_at", "ended_by", "why"])


def _person(username: str) -> Person:
    found = Person.objects.filter(username=username, is_active=True).first()
    if found is None:
        raise Missing("unknown_person", f"There is nobody called {username[:40]} here.", field="username")
    return found


def _read_until(text: str, today: date) -> date | None:
    if not text.strip():
        return None
    try:
        ends = date.fromisoformat(text.strip())
    except ValueError:
        raise Fault("bad_date", "Write its last day like 2027-12-01, or leave it empty where it does not end.", field="until") from None
    if ends < today:
        raise Fault("in_the_past", f"{ends:%-d %b %Y} is over. Enter the day on which it really ends.", field="until")
    if ends.year > today.year + LONGEST_YEARS:
        raise Fault("out_of_range", f"That is more than {LONGEST_YEARS} years ahead. Is the year right?", field="until")
    return ends


def people_rows(viewer: Person, today: date) -> list[dict[str, object]]:
    """Everybody who works here, with what they are qualified for and what it was before; whether the viewer may enter more for them."""
    may = is_allowed(viewer, "give a qualification")
    people = Person.objects.filter(is_active=True).order_by("first_name", "last_name").prefetch_related("qualifications__given_by")
    return [
        {
            "username": p.username,
            "name": p.name,
            "role": p.role,
            "may_give": may and p.pk != viewer.pk,
            "qualifications": [_row(q, today) for q in p.qualifications.all() if q.ended_at is None],
            "before": [_row(q, today) for q in p.qualifications.all() if q.ended_at is not None],
        }
        for p in people
    ]


def _row(q: Qualification, today: date) -> dict[str, object]:
    return {
        "id": q.pk, "name": q.name, "until": q.until, "standing": "ended" if q.ended_at else standing(q.until, today), "proof": q.proof,
        "given_at": q.given_at, "given_by": q.given_by.name, "why": q.why,
    }  # fmt: skip


def known_names() -> list[str]:
    """Every qualification that somebody has or had."""
    return list(Qualification.objects.order_by("name").values_list("name", flat=True).distinct())


def ending(today: date) -> list[str]:
    """What has ended or ends soon, in words, the nearest first."""
    rows = Qualification.objects.filter(ended_at=None, person__is_active=True, until__lte=today + timedelta(days=SOON_DAYS))
    return [
        f"{q.person.name}: {q.name} {'ended' if q.until and q.until < today else 'ends'} on {q.until:%-d %b %Y}"
        for q in rows.select_related("person").order_by("until", "name")
    ]
