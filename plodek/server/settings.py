"""What the environment may set, read in this one place; the documents list it."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass
from ipaddress import ip_address

from plodek.core.budget import LIMITS, variable, whole_number
from plodek.core.errors import BadValue

#: What each variable sets, for the documents and the command line's help.
VARIABLES: Mapping[str, str] = {
    "PLODEK_DATA": "folder of the database and the cache, where --data is left out",
    "PLODEK_HOSTS": "names of hosts that are answered, by commas, beside 127.0.0.1 and localhost",
    "PLODEK_USER_HEADER": "header in which a proxy that has checked them names users; none where left out",
    "PLODEK_PROXIES": "the proxy whose word for where requests come from is taken: its address, or how many "
    "stand one before the other on this machine; none where left out",
    "PLODEK_TLS": "yes where browsers come by TLS through a proxy: cookies are sent that way only",
    "PLODEK_EVALUATORS": "processes that evaluate recipes beside the server, at most; 4 where left out",
    "PLODEK_LOG": "from which level the log tells: debug, info, warning or error; warning where left out",
    "PLODEK_WORKERS": "jobs that run at once; 1 where left out",
} | {variable(name): f"the most {limit.of}" for name, limit in LIMITS.items()}


#: Hosts that only this machine reaches.
LOOPBACK = ("127.0.0.1", "localhost", "::1")


@dataclass(frozen=True)
class Settings:
    """Hosts that are answered; processes beside the server that evaluate recipes at most, and that work.

    ``proxies`` stand before the server, the last of them at the address ``proxy``; none where 0.
    """

    hosts: tuple[str, ...] = ("127.0.0.1", "localhost")
    host: str = "127.0.0.1"
    user_header: str = ""
    proxy: str = ""
    proxies: int = 0
    tls: bool = False
    evaluators: int = 4
    workers: int = 1

    @staticmethod
    def of_environment(host: str) -> Settings:
        """Read them, for a server on a ``host``."""
        plain = Settings()
        proxy, proxies = _proxies(os.environ.get("PLODEK_PROXIES", "").strip())
        named = [name.strip() for name in os.environ.get("PLODEK_HOSTS", "").split(",") if name.strip()]
        return Settings(
            hosts=tuple(dict.fromkeys([*plain.hosts, host, *named])),
            host=host,
            user_header=os.environ.get("PLODEK_USER_HEADER", "").strip(),
            proxy=proxy,
            proxies=proxies,
            tls=os.environ.get("PLODEK_TLS", "").strip().lower() == "yes",
            evaluators=whole_number("PLODEK_EVALUATORS", plain.evaluators),
            workers=whole_number("PLODEK_WORKERS", plain.workers),
        )


def _proxies(text: str) -> tuple[str, int]:
    """Read where the proxy before the server is, and how many there are. Raises BadValue."""
    if not text:
        return "", 0
    if text.isdecimal() and int(text) > 0:
        return LOOPBACK[0], int(text)
    try:
        return str(ip_address(text)), 1
    except ValueError as error:
        raise BadValue(
            f"PLODEK_PROXIES is “{text[:40]}”",
            remedy="set it to the address of the proxy, or to how many there are on this machine",
        ) from error
