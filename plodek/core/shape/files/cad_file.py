"""STEP and IGES files: what they hold as NURBS faces and curves, and guides written to them.

The CAD kernel works in a process of its own (see `cad_kernel`), with a limit of time and memory.
"""

from __future__ import annotations

import json
import os
import re
import resource
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any, Literal

from plodek.core import lifeline
from plodek.core.errors import BadFile, PlodekError
from plodek.core.shape.curves.nurbs import Net, Nurbs, NurbsCurve
from plodek.core.shape.files.packed import pack
from plodek.core.shape.surfaces.patch import patch_of
from plodek.core.shape.surfaces.trimmed_face import TrimEdge, TrimmedFace
from plodek.core.telling import Tell

CadKind = Literal["step", "iges"]

#: Seconds and bytes that the kernel may take for one file.
_MOST_SECONDS = 600
_MOST_BYTES = 12 * 1024**3


def read(data: bytes, kind: CadKind, name: str = "the file", tell: Tell | None = None) -> bytes:
    """Read a file with the kernel; gives packed contents for `contents.guides_of`.

    Raises BadFile for a truncated file, one of another type, an entity that STEP does not know, or
    anything else that the kernel cannot get through.
    """
    _look(data, kind, name)
    with tempfile.TemporaryDirectory() as folder:
        source, target = Path(folder, "source"), Path(folder, "target")
        source.write_bytes(data)
        _run("read", kind, source, target, name, tell)
        return target.read_bytes()


def write(tree: dict[str, Any], kind: CadKind = "step") -> bytes:
    """Write faces, curves and points, as `cad_kernel` takes them. Raises BadFile where it cannot."""
    with tempfile.TemporaryDirectory() as folder:
        source, target = Path(folder, "source"), Path(folder, "target")
        source.write_bytes(pack(tree))
        _run("write", kind, source, target, "the guides", None)
        return target.read_bytes()


def face_of(tree: dict[str, Any], scale: float, key: str, curves: dict[int, NurbsCurve]) -> TrimmedFace:
    """Make a face of what the kernel has read; edges shared with faces before are taken from ``curves``."""
    patch = patch_of(tree["patch"], scale)
    loops = []
    for loop in tree["loops"]:
        edges = []
        for edge in loop:
            number = edge["edge"]
            if edge["curve"] is not None and number not in curves:
                curves[number] = curve_of(edge["curve"], scale)
            edges.append(
                TrimEdge(
                    f"{key}:{number}",
                    _form(edge["trace"], 1.0),
                    edge["forward"],
                    curves.get(number),
                    edge["seam"],
                )
            )
        loops.append(edges)
    return TrimmedFace(patch, loops, reversed_=tree["reversed"], facets=(tree["uv"], tree["triangles"]))


def curve_of(tree: dict[str, Any], scale: float) -> NurbsCurve:
    """Make a curve of what the kernel has read, ``scale`` project units to the millimetre."""
    return NurbsCurve(Net(tree["degree"], tree["knots"]), tree["poles"] * scale, tree["weights"])


def _form(tree: dict[str, Any], scale: float) -> Nurbs:
    return Nurbs(Net(tree["degree"], tree["knots"]), tree["poles"] * scale, tree["weights"])


def _look(data: bytes, kind: CadKind, name: str) -> None:
    """Refuse what cannot be such a file before the kernel sees it."""
    if not data.strip():
        raise BadFile("it is empty", where=name, remedy="choose another file")
    head, tail = data[:4096], data[-4096:]
    if kind == "step":
        if b"ISO-10303-21" not in head:
            raise BadFile(
                "it does not begin with ISO-10303-21, as a STEP file does",
                where=name,
                remedy="look whether its ending tells its true type",
            )
        if b"END-ISO-10303-21" not in tail:
            line = data.count(b"\n") + 1
            raise BadFile(
                f"it breaks off at line {line}: its last line is not END-ISO-10303-21",
                where=name,
                remedy="copy or export it again",
            )
        return
    lines = data.splitlines()
    marks = [line[72:73] for line in lines if len(line) >= 73]
    if not marks or marks[0] not in (b"S", b"C"):
        raise BadFile(
            "its first line has no S in column 73, as an IGES file has",
            where=name,
            remedy="look whether its ending tells its true type",
        )
    if marks[-1] != b"T":
        raise BadFile(
            f"it breaks off at line {len(lines)}: its last line has no T in column 73",
            where=name,
            remedy="copy or export it again",
        )


def _run(what: str, kind: CadKind, source: Path, target: Path, name: str, tell: Tell | None) -> None:
    command = [
        sys.executable,
        "-m",
        "plodek.core.shape.files.cad_kernel",
        what,
        kind,
        str(source),
        str(target),
    ]

    parent = os.getpid()

    def limits() -> None:
        lifeline.end_with(parent)
        resource.setrlimit(resource.RLIMIT_AS, (_MOST_BYTES, _MOST_BYTES))
        resource.setrlimit(resource.RLIMIT_CPU, (_MOST_SECONDS, _MOST_SECONDS))

    said: dict[str, str] = {}
    with subprocess.Popen(
        command,
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
        errors="replace",
        preexec_fn=limits,
    ) as process:
        assert process.stdout is not None
        try:
            for line in process.stdout:
                if line.startswith("!"):
                    said = json.loads(line[1:])
                progress = re.match(r"@([\d.]+) (.*)", line)
                if progress and tell:
                    tell(float(progress[1]), progress[2])
        except PlodekError:
            process.kill()
            raise
    if said:
        raise BadFile(said["what"], where=name, remedy=said["remedy"])
    if process.returncode != 0:
        raise BadFile(
            "the CAD kernel broke down over it", where=name, remedy="export it anew, or in the other format"
        )


def packed_curve(curve: Nurbs, scale: float) -> dict[str, Any]:
    """Give a curve as the kernel takes it, ``scale`` millimetres to the project unit."""
    return {
        "degree": curve.net.degree,
        "knots": curve.net.knots,
        "poles": curve.poles * scale,
        "weights": curve.weights,
    }
