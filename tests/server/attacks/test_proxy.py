"""Behind a real reverse proxy, set up as the page for operators has it: who comes through it is who they are."""

import contextlib
import http.client
import json
import os
import re
import shutil
import socket
import subprocess
import time
from pathlib import Path

import pytest

from plodek.server.door import guard
from plodek.server.settings import Settings
from plodek.server.store import users
from plodek.server.workspace import Workspace
from tests.serving import served

pytestmark = pytest.mark.slow
NGINX = shutil.which("nginx", path=f"{os.environ['PATH']}:/usr/sbin")
PAGE = Path(__file__).parents[3] / "docs" / "operations.md"
PASSWORD = "a long enough password"


def free_port():
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return found.getsockname()[1]


@contextlib.contextmanager
def behind_nginx(folder, **environment):
    """The server of the documented page: its block as it stands, but for addresses and the certificate."""
    workspace = Workspace(folder / "data")
    with workspace.database.connection_context():
        users.add("mira", PASSWORD)
    port = free_port()
    (block,) = re.findall(r"^server \{.*?^\}$", PAGE.read_text(), re.S | re.M)
    with served(folder / "data", PLODEK_HOSTS="grids.example", PLODEK_TLS="yes", **environment) as server:
        block = block.replace("listen 443 ssl;", f"listen 127.0.0.1:{port};")
        block = block.replace("http://127.0.0.1:8040", server.address)
        temporary = "".join(
            f"{way}_temp_path {folder};" for way in ("client_body", "proxy", "fastcgi", "uwsgi", "scgi")
        )
        conf = folder / "nginx.conf"
        conf.write_text(
            f"daemon off; pid {folder}/pid; error_log stderr error; user root; events {{}}\n"
            f"http {{ access_log off; {temporary}\n{block}\n}}\n"
        )
        process = subprocess.Popen([NGINX, "-p", str(folder), "-c", str(conf)], stderr=subprocess.DEVNULL)
        try:
            for _ in range(100):
                with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port)):
                    break
                time.sleep(0.05)
            yield lambda *asked, **how: ask(port, *asked, **how)
        finally:
            process.terminate()
            process.wait(10)


def ask(port, method, path, body=None, *, source="127.0.0.2", headers=None):
    """Ask the proxy from an address; gives the status and what was answered."""
    line = http.client.HTTPConnection("127.0.0.1", port, timeout=60, source_address=(source, 0))
    kind = {} if body is None else {"Content-Type": "application/json"}
    text = None if body is None else json.dumps(body)
    line.request(method, path, text, {"Host": "grids.example"} | kind | (headers or {}))
    answer = line.getresponse()
    return answer.status, answer.read()


def log_in(asked, source, password=PASSWORD, **how):
    return asked("POST", "/api/session", {"name": "mira", "password": password}, source=source, **how)[0]


@pytest.mark.skipif(NGINX is None, reason="there is no nginx here")
def test_one_attacker_locks_nobody_else_out_and_figures_stay_inside(tmp_path):
    with behind_nginx(tmp_path, PLODEK_PROXIES="1") as asked:
        assert asked("GET", "/api/session")[0] == 200
        for number in range(guard.MOST_FOR_NAME.amount + 2):
            spoofed = {"X-Forwarded-For": f"10.0.0.{number}"}
            last = log_in(asked, "127.0.0.2", "wrong", headers=spoofed)
        assert last == 429
        assert log_in(asked, "127.0.0.3") == 200
        assert asked("GET", "/metrics")[0] == 401
        assert asked("GET", "/metrics", headers={"X-Forwarded-For": "127.0.0.1"})[0] == 401
        assert asked("GET", "/healthz")[0] == 200


@pytest.mark.skipif(NGINX is None, reason="there is no nginx here")
def test_through_a_proxy_that_is_not_named_figures_stay_inside_too(tmp_path):
    with behind_nginx(tmp_path) as asked:
        assert asked("GET", "/metrics")[0] == 401


@pytest.mark.parametrize(
    ("text", "proxy", "count"),
    [
        ("", "", 0),
        ("1", "127.0.0.1", 1),
        ("2", "127.0.0.1", 2),
        ("10.0.0.4", "10.0.0.4", 1),
        ("::1", "::1", 1),
    ],
)
def test_proxies_are_named_by_their_address_or_counted(monkeypatch, text, proxy, count):
    monkeypatch.setenv("PLODEK_PROXIES", text)
    found = Settings.of_environment("127.0.0.1")
    assert (found.proxy, found.proxies) == (proxy, count)


@pytest.mark.parametrize("text", ["0", "-1", "nginx", "10.0.0.0/8", "1.5"])
def test_what_names_no_proxy_is_refused(monkeypatch, text):
    from plodek.core.errors import BadValue

    monkeypatch.setenv("PLODEK_PROXIES", text)
    with pytest.raises(BadValue, match="PLODEK_PROXIES"):
        Settings.of_environment("127.0.0.1")
