"""The work of the CAD kernel, in a process of its own: reading and writing STEP and IGES.

Run as ``python -m plodek.core.shape.cad_kernel read|write step|iges IN OUT``. What it reads is handed on
as packed NURBS data in millimetres; the kernel itself never enters the calling process, so that a file
that upsets it upsets nothing else. Lines that begin with ``@`` tell progress, one that begins with ``!``
tells as JSON what is wrong and what helps.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path

from plodek.core.shape.files.cad_common import Unreadable
from plodek.core.shape.files.cad_reading import read
from plodek.core.shape.files.cad_writing import write
from plodek.core.shape.files.packed import pack, unpack


def main() -> int:
    """Do what the command line asks for."""
    what, kind, source, target = sys.argv[1:]
    try:
        if what == "read":
            Path(target).write_bytes(pack(read(kind, source)))
        else:
            write(kind, unpack(Path(source).read_bytes()), target)
    except Unreadable as error:
        print("!" + json.dumps({"what": error.what, "remedy": error.remedy}), flush=True)
        return 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
