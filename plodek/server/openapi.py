"""Write the OpenAPI description of the server, from which the TypeScript types are generated."""

from __future__ import annotations

import json
import sys
import tempfile
from pathlib import Path

from plodek.server.app import make_app
from plodek.server.workspace import Workspace


def main() -> None:
    """Write it to the file named on the command line."""
    with tempfile.TemporaryDirectory() as folder:
        app = make_app(Workspace(Path(folder)))
        with app.app_context():
            text = json.dumps(app.spec, indent=1)
    target = Path(sys.argv[1])
    target.parent.mkdir(parents=True, exist_ok=True)
    target.write_text(text)


if __name__ == "__main__":
    main()
