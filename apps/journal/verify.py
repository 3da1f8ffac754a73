#!/usr/bin/env python3
"""Checks evidence of Verify Loop without Verify Loop: a record, an evidence package, or a whole backup, against the plant's public key.

    python3 verify.py FILE [--key HEX or a file that holds it]

FILE is a record as JSON, an evidence package (.zip), or a backup (.tar, not encrypted).
A plant that was restored on another machine has had several keys. It needs nothing but Python 3.9 or newer. Take the key from the
plant, not from the file that is to be checked: printed in its office, or on a certificate of before. It ends with 0 where all holds, 1 where something
does not, 2 where nothing could be checked. Sources: FIPS 180-4 (SHA-256), RFC 8032 (Ed25519).
"""

import argparse
import hashlib
import io
import json
import os
import re
import sqlite3
import sys
import tarfile
import tempfile
import zipfile

GENESIS = "0" * 64
quoted = json.encoder.encode_basestring  # a text as JSON writes it
Q = 2**255 - 19
L = 2**252 + 27742317777372353535851937790883648493
D = -121665 * pow(121666, Q - 2, Q) % Q
I = pow(2, (Q - 1) // 4, Q)  # noqa: E741


def sha(text):
    """SHA-256 of a text, as hex."""
    return hashlib.sha256(text.encode("utf-8")).hexdigest()


def digest_of_file(file, also=lambda block: None):
    """SHA-256 of an open file, as hex; each block of it is given to `also`."""
    digest = hashlib.sha256()
    while block := file.read(1 << 20):
        digest.update(block)
        also(block)
    return digest.hexdigest()


def event_link(run, event, previous):
    """The link of a run's event: the hash of its canonical JSON, which holds the link before it."""
    body = {k: event[k] for k in ("seq", "id", "type", "payload", "author", "author_name", "at", "device_at")}
    body.update(run=run, previous=previous)
    return sha(json.dumps(body, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False))


def content_of(seq, at, kind, subject, place, digest, body):
    """The hash of what an entry of the journal says: of its JSON, as a list without blanks."""
    return sha(f"[{seq},{quoted(at)},{quoted(kind)},{quoted(subject)},{place},{quoted(digest)},{quoted(body)}]")


def entry_link(previous, content):
    """The link of an entry: of the entry before and of what it says."""
    return sha(previous + content)


def anchor_text(anchor):
    """What is signed of an anchor."""
    return "\n".join(["verify-loop anchor 1", anchor["plant"], str(anchor["seq"]), anchor["link"], anchor["at"]])


# ---- Ed25519, RFC 8032 section 5.1, verification only


def _add(p, q):
    a, b = (p[1] - p[0]) * (q[1] - q[0]) % Q, (p[1] + p[0]) * (q[1] + q[0]) % Q
    c, d = 2 * p[3] * q[3] * D % Q, 2 * p[2] * q[2] % Q
    e, f, g, h = b - a, d - c, d + c, b + a
    return e * f % Q, g * h % Q, f * g % Q, e * h % Q


def _times(s, p):
    out = (0, 1, 1, 0)
    while s:
        if s & 1:
            out = _add(out, p)
        p = _add(p, p)
        s >>= 1
    return out


def _point(octets):
    y = int.from_bytes(octets, "little")
    sign, y = y >> 255, y & ((1 << 255) - 1)
    if y >= Q:
        return None
    square = (y * y - 1) * pow(D * y * y + 1, Q - 2, Q) % Q
    x = pow(square, (Q + 3) // 8, Q)
    if (x * x - square) % Q:
        x = x * I % Q
    if (x * x - square) % Q or (x == 0 and sign):
        return None
    x = Q - x if x & 1 != sign else x
    return x, y, 1, x * y % Q


_BASE_Y = 4 * pow(5, Q - 2, Q) % Q
BASE = _point(_BASE_Y.to_bytes(32, "little"))


def is_signed(key, text, signature):
    """Whether a text was signed with the private part of a key; all but the text as hex."""
    try:
        octets, public = bytes.fromhex(signature), bytes.fromhex(key)
    except ValueError:
        return False
    a, r = (_point(public) if len(public) == 32 else None), (_point(octets[:32]) if len(octets) == 64 else None)
    if a is None or r is None:
        return False
    s = int.from_bytes(octets[32:], "little")
    if s >= L:
        return False
    h = int.from_bytes(hashlib.sha512(octets[:32] + public + text.encode("utf-8")).digest(), "little") % L
    one, other = _times(s, BASE), _add(r, _times(h, a))
    return (one[0] * other[2] - other[0] * one[2]) % Q == 0 and (one[1] * other[2] - other[1] * one[2]) % Q == 0


# ---- what is checked


def find_anchor_fault(anchor, keys):
    """Why an anchor does not hold; empty where it does."""
    if keys and anchor["key"] not in keys:
        return f"The anchor at entry {anchor['seq']} was signed with another key ({anchor['key'][:16]}...)."
    if not is_signed(anchor["key"], anchor_text(anchor), anchor["signature"]):
        return f"The signature of the anchor at entry {anchor['seq']} does not hold."
    return ""


def find_event_faults(record):
    """What of a run's chain does not hold, the first wrong event first."""
    previous, label = GENESIS, record["number"]
    for n, event in enumerate(record["events"], 1):
        if event["seq"] != n:
            return [f"{label}: event {n} is missing; the next one is {event['seq']}."]
        if event["previous"] != previous or event_link(record["run"], event, previous) != event["link"]:
            return [f"{label}: event {n} ({event['type']}, {event['at']}) does not match its link."]
        previous = event["link"]
    return [] if previous == record["head"] else [f"{label}: events at its end are missing."]


def check_record(record, keys, say):
    """A record as JSON: its chain, that it stands in the journal, and that the journal was signed after it."""
    faults = find_event_faults(record)
    if not faults:
        say(f"{record['number']}: {len(record['events'])} events, each matches its link.")
    proof = record.get("journal")
    if not proof:
        told = f"{record['number']} carries nothing of the journal: it was not signed, is from before there was one, or was written anew."
        say(told)
        return faults + ([told] if keys else [])
    entry = proof["entry"]
    content = content_of(*(entry[k] for k in ("seq", "at", "kind", "subject", "place", "digest", "body")))
    mine = next((e["link"] for e in record["events"] if e["seq"] == entry["place"]), None)
    if entry["kind"] != "run" or entry["subject"] != record["run"].replace("-", "") or entry["digest"] != mine:
        faults.append(f"{record['number']}: the journal's entry {entry['seq']} is of something else.")
    link = entry_link(proof["previous"], content)
    for after in proof["path"]:
        link = entry_link(link, after)
    anchor = proof["anchor"]
    if anchor["seq"] != entry["seq"] + len(proof["path"]) or anchor["link"] != link:
        faults.append(f"{record['number']}: its entry {entry['seq']} does not lead to the anchor at {anchor['seq']}.")
    fault = find_anchor_fault(anchor, keys)
    faults += [fault] if fault else []
    if not faults:
        say(f"It stands in the journal as entry {entry['seq']}; the journal was signed on {anchor['at']} at entry {anchor['seq']}.")
        if entry["place"] < len(record["events"]):
            say(f"That covers its events 1 to {entry['place']} of {len(record['events'])}.")
    return faults


COLUMNS = ("seq", "at", "kind", "subject", "place", "digest", "body", "content", "link")  # of an entry, as they are read here


def find_journal_fault(rows, wanted=()):
    """The first wrong entry of the journal, how many hold before it, and the links of the wanted ones among these; rows: COLUMNS of every entry."""
    links, count, previous, wanted = {}, 0, GENESIS, set(wanted)
    for row in rows:
        seq, content, link = row[0], row[7], row[8]
        if seq != count + 1:
            return f"Entry {count + 1} of the journal is missing; the next one is {seq}.", count, links
        if content_of(*row[:7]) != content or entry_link(previous, content) != link:
            return f"Entry {seq} of the journal ({row[2]} {row[3]}, {row[1]}) does not match its link.", count, links
        count, previous = seq, link
        if seq in wanted:
            links[seq] = link
    return "", count, links


def find_lost_anchor(anchor, links):
    """Why an anchor does not fit the journal, whose links are given by their numbers; empty where it does."""
    if links.get(anchor["seq"]) == anchor["link"]:
        return ""
    return f"The anchor at entry {anchor['seq']} was signed for another journal: entries were changed or are lost."


def check_database(path, keys, say):
    """A database: the journal from its first entry, every run against it, and every anchor."""
    db = sqlite3.connect(f"file:{path}?mode=ro", uri=True)
    try:
        state = db.execute("PRAGMA integrity_check").fetchone()[0]
        faults = [] if state == "ok" else [f"The database is damaged: {state}"]
        plant, names = plant_of(db), ("seq", "link", "at", "key", "signature")
        rows = db.execute("SELECT seq, link, at, key, signature FROM journal_anchor ORDER BY seq")
        anchors = [dict(zip(names, row), plant=plant) for row in rows]
        entries = db.execute(f"SELECT {', '.join(COLUMNS)} FROM journal_entry ORDER BY seq")
        fault, count, links = find_journal_fault(entries, [a["seq"] for a in anchors])
        faults += [fault] if fault else []
        say(f"{count} entries of the journal match their links.")
        faults += _run_faults(db, say)
        faults += [found for a in anchors if (found := find_anchor_fault(a, keys) or find_lost_anchor(a, links))]
        return faults
    except sqlite3.DatabaseError as error:
        return [f"The database can't be read: {error}"]
    finally:
        db.close()


def plant_of(db):
    """The name under which the anchors were signed: it stands in the first entry."""
    row = db.execute("SELECT body FROM journal_entry WHERE kind = 'journal' ORDER BY seq LIMIT 1").fetchone()
    return json.loads(row[0])["plant"] if row else ""


def _run_faults(db, say):
    """Events that the journal does not know, or knows otherwise, and those that it knows and are gone."""
    faults, checked = [], 0
    known = {(s, p): d for s, p, d in db.execute("SELECT subject, place, digest FROM journal_entry WHERE kind = 'run'")}
    names = "e.seq, e.event_id, e.type, e.payload, e.author, e.author_name, e.at, e.device_at, e.previous, e.link"
    previous, run, count = GENESIS, None, 0
    rows = db.execute(
        f"SELECT e.run_id, r.number, {names} FROM runs_runevent e JOIN runs_run r ON r.id = e.run_id ORDER BY e.run_id, e.seq"
    )
    for run_id, number, *told in rows:
        if run_id != run:
            previous, run, count = GENESIS, run_id, 0
        count += 1
        checked += 1
        seq, event_id, kind, payload, author, name, at, device_at, before, link = told
        event = {
            "seq": seq,
            "id": _uuid(event_id),
            "type": kind,
            "payload": json.loads(payload),
            "author": author,
            "author_name": name,
            "at": _moment(at),
            "device_at": _moment(device_at) if device_at else None,
        }
        told_as = known.pop((run_id, seq), None)
        if seq != count or before != previous or event_link(_uuid(run_id), event, previous) != link:
            faults.append(f"VL-{number:06d}: event {seq} ({kind}) does not match its link.")
        elif told_as != link:
            faults.append(f"VL-{number:06d}: event {seq} ({kind}) is not the one that the journal knows.")
        previous = link
    gone = sorted({subject for subject, _ in known})
    faults += [f"Events of run {_uuid(g)} stand in the journal and are gone." for g in gone]
    say(f"{checked} events of runs were looked at.")
    return faults


def _uuid(text):
    return text if "-" in text else "-".join((text[:8], text[8:12], text[12:16], text[16:20], text[20:]))


def _moment(text):
    day, _, time = text.partition(" ")
    whole, _, part = time.partition(".")
    return f"{day}T{whole}.{part.ljust(6, '0')}Z"


def check_package(data, keys, say):
    """An evidence package: the record in it, and every file against the list."""
    faults = []
    with zipfile.ZipFile(io.BytesIO(data)) as package:
        listed = json.loads(package.read("manifest.json"))["files"]
        for name, wanted in listed.items():
            if name not in package.namelist() or hashlib.sha256(package.read(name)).hexdigest() != wanted:
                faults.append(f"{name} is missing or was changed.")
        say(f"{len(listed)} files are as listed." if not faults else "Not all files are as listed.")
        record = json.loads(package.read("record.json"))
    return faults + check_record(record, keys, say)


def check_backup(file, keys, say):
    """A backup: every file against its list, then the database in it."""
    with tarfile.open(file) as tar, tempfile.TemporaryDirectory() as folder:
        members = {m.name: m for m in tar.getmembers() if m.isfile()}
        manifest = json.load(tar.extractfile(members["manifest.json"]))
        faults, database = [], None
        for name, wanted in manifest["files"].items():
            if name not in members:
                faults.append(f"{name} is missing.")
                continue
            source, path = tar.extractfile(members[name]), os.path.join(folder, "db")  # noqa: PTH118
            if name == "database.sqlite3":
                with open(path, "wb") as target:  # noqa: PTH123
                    found = digest_of_file(source, target.write)
                database = path
            else:
                found = digest_of_file(source)
            if found != wanted:
                faults.append(f"{name} was changed.")
        say(f"{len(manifest['files'])} files looked at.")
        return faults + (check_database(database, keys, say) if database else ["There is no database in it."])


def check(path, keys, say=print):
    """What does not hold of a file, as sentences; raises a ValueError where it is nothing that can be checked."""
    with open(path, "rb") as file:  # noqa: PTH123
        head = file.read(16)
    if head.startswith(b"VLBACKUP"):
        raise ValueError("This backup is encrypted. Decrypt it first: manage.py restore does.")
    if head.startswith(b"SQLite format 3"):
        return check_database(path, keys, say)
    if head.startswith(b"PK"):
        with open(path, "rb") as file:  # noqa: PTH123
            return check_package(file.read(), keys, say)
    if tarfile.is_tarfile(path):
        return check_backup(path, keys, say)
    with open(path, encoding="utf-8") as file:  # noqa: PTH123
        record = json.load(file)
    if record.get("format") != "verify-loop-run":
        raise ValueError("This is no record, no evidence package and no backup of Verify Loop.")
    return check_record(record, keys, say)


def read_key(text):
    """The key as hex, given as such or as the name of a file that holds it."""
    if not re.fullmatch(r"[0-9a-fA-F]{64}", text):
        with open(text, encoding="utf-8") as file:  # noqa: PTH123
            found = re.search(r"\b[0-9a-fA-F]{64}\b", file.read())
        if not found:
            raise ValueError(f"There is no key of 64 hexadecimal digits in {text}.")
        text = found.group(0)
    return text.lower()


def main(given=None):
    """Check a file and say what holds and what does not."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("file")
    parser.add_argument(
        "--key", action="append", default=[], help="the plant's public key: 64 hexadecimal digits, or a file with them; once for each"
    )
    told = parser.parse_args(given)
    try:
        keys = [read_key(key) for key in told.key]
        faults = check(told.file, keys)
    except (OSError, ValueError, KeyError, TypeError, tarfile.TarError, zipfile.BadZipFile) as error:
        print(f"Nothing could be checked: {error}")
        return 2
    for fault in faults:
        print(f"WRONG  {fault}")
    if not keys:
        print("No key was given: that the signatures are of this plant was not checked.")
    print("Something does not hold." if faults else "All of it holds.")
    return 1 if faults else 0


if __name__ == "__main__":
    sys.exit(main())
