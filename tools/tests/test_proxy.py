"""Behind a real proxy over TLS, set up as the document says: people sign in, each is counted by their own address, and no forged one counts."""

import json
import shutil
import sqlite3
import ssl
import subprocess
import tempfile
import time
import urllib.error
from datetime import UTC, datetime, timedelta
from pathlib import Path
from unittest import skipUnless

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from tools.ports import free_port
from tools.tests.real_plant import ROOT, VISIT, RealPlant

NGINX = shutil.which("nginx") or shutil.which("nginx", path="/usr/sbin")
AROUND = (
    "daemon off; pid {home}/pid; error_log {home}/error.log; events {{}} http {{ access_log off; {temporary} include {home}/site.conf; }}"
)


def make_certificate(home):
    key = ec.generate_private_key(ec.SECP256R1())
    name, now = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "localhost")]), datetime.now(UTC)
    made = x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(key.public_key()).serial_number(1)
    made = made.not_valid_before(now - timedelta(days=1)).not_valid_after(now + timedelta(days=1))
    made = made.add_extension(x509.SubjectAlternativeName([x509.DNSName("localhost")]), critical=False).sign(key, hashes.SHA256())
    (home / "loop.crt").write_bytes(made.public_bytes(serialization.Encoding.PEM))
    plain = serialization.NoEncryption()
    (home / "loop.key").write_bytes(key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, plain))


@skipUnless(NGINX, "nginx is not installed and could not be")
class Proxy(RealPlant):
    def proxy(self):
        """nginx with the configuration of the document, on a port of its own; the context of a browser that trusts its certificate."""
        home = Path(tempfile.mkdtemp())
        self.addCleanup(shutil.rmtree, home, ignore_errors=True)
        make_certificate(home)
        port = free_port()
        site = (ROOT / "docs" / "nginx.conf").read_text()
        for old, new in (
            ("listen 443 ssl", f"listen 127.0.0.1:{port} ssl"),
            ("loop.example.org;", "localhost;"),
            ("/etc/ssl/certs/loop.crt", f"{home}/loop.crt"),
            ("/etc/ssl/private/loop.key", f"{home}/loop.key"),
            ("server 127.0.0.1:8000;", " ".join(f"server 127.0.0.1:{each};" for each in self.ports)),
        ):
            self.assertIn(old, site)
            site = site.replace(old, new)
        (home / "site.conf").write_text(site)
        kinds = ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
        temporary = " ".join(f"{kind}_temp_path {home}/{kind};" for kind in kinds)
        (home / "nginx.conf").write_text(AROUND.format(home=home, temporary=temporary))
        made = subprocess.Popen([NGINX, "-p", str(home), "-c", f"{home}/nginx.conf"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        self.addCleanup(made.wait)
        self.addCleanup(made.terminate)
        context = ssl.create_default_context(cafile=f"{home}/loop.crt")
        for _ in range(200):
            self.visit(f"https://localhost:{port}", context)
            try:
                self.ask("/api/v1/session/")
            except OSError:
                time.sleep(0.05)
            else:
                return context
        raise AssertionError((home / "error.log").read_text())

    def come_in(self, password, **headers):
        try:
            return json.loads(self.ask("/api/v1/session/", {"username": "asta", "password": password}, **headers))["person"]["username"]
        except urllib.error.HTTPError as refused:
            return refused.code

    def test_signed_in_over_tls_and_a_forged_address_is_nobody_s(self):
        self.serve(BEHIND_TLS="1", ALLOWED_HOSTS="localhost")
        home = self.home / "plant"
        context = self.proxy()
        address = self.address
        code = (home / "first-start-code").read_text()
        told = json.loads(self.ask("/api/v1/first-start/", {**VISIT, "code": code}))
        self.assertEqual(told["person"]["username"], "asta")
        self.assertTrue(all(c.secure for c in self.jar if c.name == "sessionid"))
        self.assertEqual(self.come_in(VISIT["password"]), "asta")
        own = self.jar, self.browser
        self.visit(address, context)
        self.ask("/api/v1/session/")
        guesses = [self.come_in("a-guess", **{"X-Forwarded-For": f"203.0.113.{n}", "X-Real-IP": f"203.0.113.{n}"}) for n in range(9)]
        self.assertEqual(guesses[-1], 429)
        self.assertEqual(self.come_in(VISIT["password"]), 429)
        self.jar, self.browser = own  # their own screen
        self.assertEqual(self.come_in(VISIT["password"]), "asta")
        db = sqlite3.connect(home / "verify-loop.sqlite3")
        self.assertEqual({row[0] for row in db.execute("SELECT ip_address FROM axes_accessattempt")}, {"127.0.0.1"})
        db.close()

    def test_two_processes_serve_one_plant_and_either_goes_on_alone(self):
        ends = [self.serve(BEHIND_TLS="1", ALLOWED_HOSTS="localhost") for _ in range(2)]
        home = self.home / "plant"
        self.proxy()
        code = (home / "first-start-code").read_text()
        self.ask("/api/v1/first-start/", {**VISIT, "code": code})
        self.assertEqual(json.loads(self.ask("/api/v1/instruments/"))["total"], 0)
        names = {json.loads(self.ask("/api/v1/session/"))["plant"] for _ in range(4)}  # of either in turn
        self.assertEqual(names, {"Tern Point"})
        for _ in range(4):
            self.assertEqual(json.loads(self.ask("/api/v1/holds/")), [])
        self.assertEqual(self.holder(home), self.ports[0])
        ends[0]()
        self.assertEqual(json.loads(self.patiently("/api/v1/holds/")), [])
        self.assertEqual(self.holder(home), self.ports[1])
        self.assertEqual(json.loads(self.ask("/api/v1/session/"))["person"]["username"], "asta")

    def holder(self, home):
        db = sqlite3.connect(home / "verify-loop.sqlite3")
        address = db.execute("SELECT address FROM bench_benchholder").fetchone()[0]
        db.close()
        return int(address.rpartition(":")[2])

    def patiently(self, path):
        """As the page does it: whoever is told to come again comes again."""
        while True:
            try:
                return self.ask(path)
            except urllib.error.HTTPError as refused:
                self.assertEqual((refused.code, json.loads(refused.read())["code"]), (503, "store_moving"))
                time.sleep(0.1)
