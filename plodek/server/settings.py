"""What the environment may set, read in this one place; the documents list it."""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass

#: What each variable sets, for the documents and the command line's help.
VARIABLES: Mapping[str, str] = {
    "PLODEK_DATA": "folder of the database and the cache, where --data is left out",
    "PLODEK_HOSTS": "names of hosts that are answered, by commas, beside 127.0.0.1 and localhost",
    "PLODEK_MOST_MB": "the largest upload in MB; 200 where left out",
}


@dataclass(frozen=True)
class Settings:
    """Hosts that are answered, and the largest upload in MB."""

    hosts: tuple[str, ...] = ("127.0.0.1", "localhost")
    most_mb: int = 200

    @staticmethod
    def of_environment(*hosts: str) -> Settings:
        """Read them, with further ``hosts``."""
        plain = Settings()
        named = [name.strip() for name in os.environ.get("PLODEK_HOSTS", "").split(",") if name.strip()]
        most = int(os.environ.get("PLODEK_MOST_MB", plain.most_mb))
        return Settings(tuple(dict.fromkeys([*plain.hosts, *hosts, *named])), most)
