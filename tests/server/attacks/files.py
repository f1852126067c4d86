"""Files that lie, made by a script: a seed gives the same ones. Whatever one says, reading it ends in words."""

import base64
import io
import lzma
import random
import struct
import tempfile
import zipfile
import zlib
from collections.abc import Callable, Iterator
from functools import cache
from pathlib import Path

import h5py
import numpy as np
from h5py import h5d, h5s, h5t

from plodek.core.formats import registry
from plodek.core.formats.cargo import Cargo
from tests.conftest import demo_file
from tests.received import bent, of_nodes

CUBE = b"".join(
    b"facet normal 0 0 1\nouter loop\nvertex 0 0 %d\nvertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\n" % n
    for n in range(4)
)
DXF = b"0\nSECTION\n2\nENTITIES\n0\nLINE\n8\n0\n10\n0.0\n20\n0.0\n11\n1.0\n21\n1.0\n0\nENDSEC\n0\nEOF"
#: Words that numbers and names in texts are changed for.
WILD = [
    b"-1",
    b"0",
    b"1e999",
    b"nan",
    b"99999999999",
    b"4294967297",
    b"../../secret",
    b"",
    b"\xff\xfe",
    b"'\";--",
]


@cache
def sound() -> dict[str, bytes]:
    """A sound file of every kind there is to read, by its name."""
    found = {
        "a.stl": b"solid a\n" + CUBE + b"endsolid a\n",
        "a.obj": b"o a\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\n",
        "a.dxf": DXF,
        "a.csv": demo_file("pier-outline.csv"),
        "a.json": b'{"plodek": 3, "steps": [{"kind": "frame", "id": "f", "width": 2, "height": 1}]}',
        "a.step": demo_file("draft-cone.step"),
        "a.igs": demo_file("draft-cone-gaps.igs"),
    }
    grid = of_nodes(bent())
    with tempfile.TemporaryDirectory() as folder:
        for one in registry.written().values():
            if one.read is None:
                continue
            files = one.write(Path(folder, f"{one.key}{one.endings[0]}"), Cargo(grid, "m"), one.choices())
            if len(files) > 1:
                packed = io.BytesIO()
                with zipfile.ZipFile(packed, "w") as archive:
                    for file in files:
                        archive.write(file, file.relative_to(folder))
                found[f"{one.key}.zip"] = packed.getvalue()
            found |= {file.name: file.read_bytes() for file in files if registry.is_grid(file.name)}
            found |= {file.name: file.read_bytes() for file in files if file.name.endswith(".map.json")}
    return found


def hostile(seed: int, count: int, secret: Path) -> Iterator[tuple[str, bytes]]:
    """Give files by name: those made by hand to reach a ``secret`` or to burst, then sound ones damaged."""
    made = [*leading_out(secret), *bursting()]
    yield from made[:count]
    chance = random.Random(seed)
    names = sorted(sound())
    for number in range(count - len(made)):
        name = names[number % len(names)]
        yield name, damaged(sound()[name], chance)


def damaged(data: bytes, chance: random.Random) -> bytes:
    """Cut a file off, turn bytes of it, change numbers in it, double parts of it or leave them out."""
    found = bytearray(data)
    for _ in range(chance.randint(1, 6)):
        size = len(found)
        at, long = chance.randrange(size), chance.randint(1, max(1, size // 8))
        match chance.randrange(6):
            case 0:
                del found[at:]
            case 1:
                found[at] = chance.randrange(256)
            case 2:
                found[at : at + 4] = struct.pack(
                    chance.choice("<>") + "i", chance.choice([-1, 0, 2**31 - 1, 65536])
                )
            case 3:
                found[at:at] = found[at : at + long]
            case 4:
                del found[at : at + long]
            case _:
                word = bytes(found[at:]).split(None, 1)[:1] or [b" "]
                place = found.find(word[0], at)
                found[place : place + len(word[0])] = chance.choice(WILD)
        found = found or bytearray(b"\0")
    return bytes(found)


def leading_out(secret: Path) -> Iterator[tuple[str, bytes]]:
    """Give files that name a file of the machine that reads them."""
    for name, made in (("stored", _stored_in), ("linked", _linked_to), ("virtual", _virtual_of)):
        yield f"{name}.cgns", hdf5(lambda file, made=made: _cgns(file, lambda group: made(group, secret)))
    yield "link.vtkhdf", hdf5(lambda file: file.__setitem__("VTKHDF", h5py.ExternalLink(str(secret), "/")))
    yield "base.cgns", hdf5(lambda file: file.__setitem__("Base", h5py.ExternalLink(str(secret), "/")))
    for beside in (str(secret), f"../{secret.name}", "/proc/self/environ"):
        yield "out.xdmf", _xdmf(f"{beside}:/points")
        yield "out.vtm", b'<VTKFile type="x"><x><DataSet file="%s.vts"/></x></VTKFile>' % beside.encode()
    entity = b'<!DOCTYPE a [<!ENTITY x SYSTEM "file://%s">]>' % str(secret).encode()
    yield "entity.xdmf", entity + b"<Xdmf><Domain><Grid>&x;</Grid></Domain></Xdmf>"
    yield "entity.vts", entity + b"<VTKFile><StructuredGrid>&x;</StructuredGrid></VTKFile>"
    for name in ("../../up.vts", "/tmp/up.vts", "a\\..\\..\\up.vts"):
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w") as archive:
            archive.writestr(name, b"x")
        yield "up.zip", packed.getvalue()
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        link = zipfile.ZipInfo("link.vts")
        link.external_attr = 0o120777 << 16
        archive.writestr(link, str(secret))
    yield "link.zip", packed.getvalue()
    yield "names.obj", b"mtllib %s\nusemtl a\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n" % str(secret).encode()


def bursting() -> Iterator[tuple[str, bytes]]:
    """Give small files that would take all memory."""
    yield "unwritten.cgns", hdf5(lambda file: _cgns(file, _unwritten))
    yield "chunk.cgns", hdf5(lambda file: _cgns(file, _one_chunk_too_large))
    yield "wide.vtkhdf", hdf5(_wide)
    for name, way in (("ZLib", zlib), ("LZMA", lzma)):
        yield f"{name}.vts", vts(f"vtk{name}DataCompressor", way.compress(bytes(3 * 10**8)), 24)
    yield "told.vts", vts("vtkZLibDataCompressor", zlib.compress(bytes(10**6)), 3 * 10**9, extent=10**8)
    yield (
        "laughs.vts",
        (
            b'<!DOCTYPE a [<!ENTITY a "%s">' % (b"ha" * 500)
            + b"".join(b'<!ENTITY %c "%s">' % (n, b"&%c;" % (n - 1) * 10) for n in range(98, 107))
            + b"]><VTKFile><StructuredGrid>&j;</StructuredGrid></VTKFile>"
        ),
    )
    for way in (zipfile.ZIP_DEFLATED, zipfile.ZIP_LZMA, zipfile.ZIP_BZIP2):
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", way) as archive:
            archive.writestr("a.vts", bytes(3 * 10**8))
        yield "burst.zip", packed.getvalue()
    yield "lying.zip", _lying()
    yield "many.xyz", struct.pack("<i3i", 1, 2**20, 2**20, 2**10) + bytes(100)
    yield "deep.json", b"[" * 100_000 + b"]" * 100_000


def _lying() -> bytes:
    """An archive whose list says that a file has ten bytes, and it has a hundred million."""
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("recipe.json", b" " * 10**8)
    data = bytearray(packed.getvalue())
    for mark, at in ((b"PK\x03\x04", 22), (b"PK\x01\x02", 24)):
        data[data.rindex(mark) + at : data.rindex(mark) + at + 4] = struct.pack("<I", 10)
    return bytes(data)


def hdf5(fill: Callable[[h5py.File], object]) -> bytes:
    """An HDF5 file as it is filled."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "a.h5")
        with h5py.File(path, "w") as file:
            fill(file)
        return path.read_bytes()


def vts(compressor: str, packed: bytes, said: int, extent: int = 1) -> bytes:
    """A structured grid of packed points that are said to be so many bytes."""
    head = struct.pack("<4I", 1, said % 2**32, 0, len(packed))
    data = base64.b64encode(head) + base64.b64encode(packed)
    box = b"0 %d 0 0 0 0" % (extent - 1 if extent > 1 else 0)
    return (
        b'<VTKFile type="StructuredGrid" byte_order="LittleEndian" header_type="UInt32" compressor="%s">'
        b'<StructuredGrid WholeExtent="%s"><Piece Extent="%s"><Points>'
        b'<DataArray type="Float64" NumberOfComponents="3" format="binary">%s</DataArray>'
        b"</Points></Piece></StructuredGrid></VTKFile>" % (compressor.encode(), box, box, data)
    )


def _cgns(file: h5py.File, places: Callable[[h5py.Group], object]) -> None:
    """Fill a file with a base and a zone of 2 × 2 × 2 nodes, whose coordinates are made by ``places``."""

    def node(above, name, label, data=None):
        group = above.create_group(name)
        for key, text, size in (("name", name, 33), ("label", label, 33), ("type", "MT", 3)):
            group.attrs.create(key, np.bytes_(text), dtype=f"S{size}")
        if data is not None:
            group[" data"] = data
        return group

    def words(text):
        return np.frombuffer(text.encode(), np.int8)

    base = node(file, "Base", "CGNSBase_t", np.array([3, 3], np.int32))
    zone = node(base, "Zone", "Zone_t", np.array([[2] * 3, [1] * 3, [0] * 3], np.int32))
    node(zone, "ZoneType", "ZoneType_t", words("Structured"))
    grid = node(zone, "GridCoordinates", "GridCoordinates_t")
    for letter in "XYZ":
        places(node(grid, f"Coordinate{letter}", "DataArray_t"))


def _stored_in(group: h5py.Group, secret: Path) -> None:
    group.create_dataset(" data", (2, 2, 2), "f8", external=[(str(secret), 0, 64)])


def _linked_to(group: h5py.Group, secret: Path) -> None:
    group[" data"] = h5py.ExternalLink(str(secret), "/x")


def _virtual_of(group: h5py.Group, secret: Path) -> None:
    layout = h5py.VirtualLayout((2, 2, 2), "f8")
    layout[...] = h5py.VirtualSource(str(secret), "x", (2, 2, 2))
    group.create_virtual_dataset(" data", layout)


def _unwritten(group: h5py.Group) -> None:
    group.create_dataset(" data", (300_000_000, 2, 2), "f8", chunks=(1000, 2, 2))


def _one_chunk_too_large(group: h5py.Group) -> None:
    made = group.create_dataset(" data", (2, 2, 2), "f8", chunks=(2, 2, 2), compression="gzip")
    made.id.write_direct_chunk((0, 0, 0), zlib.compress(bytes(2 * 10**9 // 8), 9))


def _wide(file: h5py.File) -> None:
    """Values that are one number each, of a megabyte."""
    part = file.create_group("VTKHDF").create_group("a")
    part.attrs["Index"] = 0
    wide = h5t.array_create(h5t.NATIVE_DOUBLE, (131072,))
    h5d.create(part.id, b"Points", wide, h5s.create_simple((4000,)))
    part["Types"] = np.zeros(0, np.uint8)


def _xdmf(item: str) -> bytes:
    parts = "".join(
        f"<{tag}><DataItem>{item}</DataItem></{tag.split()[0]}>"
        for tag in ("Geometry", "Topology", "Attribute Name='patch'")
    )
    return f"<Xdmf><Domain><Grid>{parts}</Grid></Domain></Xdmf>".encode()


def route_of(name: str) -> str:
    """The route that a file is sent by."""
    plain = name.endswith((".csv", ".json")) and not name.endswith(".xyz")
    return f"{'files' if plain else 'geometry'}?name={name}"
