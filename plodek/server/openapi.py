"""Write the OpenAPI description of the server, from which the TypeScript types are generated."""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path
from typing import Any

from plodek.server.app import make_app
from plodek.server.workspace import Workspace


def description() -> dict[str, Any]:
    """Give the OpenAPI description of all routes."""
    with tempfile.TemporaryDirectory() as folder:
        app = make_app(Workspace(Path(folder)))
        with app.app_context():
            found: dict[str, Any] = json.loads(json.dumps(app.spec))
            return found


def main() -> None:
    """Write it to the file named on the command line."""
    target = Path(sys.argv[1])
    target.parent.mkdir(parents=True, exist_ok=True)
    target.write_text(json.dumps(description(), indent=1))


if __name__ == "__main__":
    main()
