"""Files of every open format against the libraries that read them: VTK, meshio, the standard's checker, Fortran."""

import shutil
import subprocess

import h5py
import meshio
import numpy as np
import pytest
import vtk
from vtkmodules.util.numpy_support import vtk_to_numpy

from plodek.core.check.measure import measure
from plodek.core.errors import BadFile
from plodek.core.formats import registry
from plodek.core.formats.cells import HEXA, PENTA, Cells
from tests.core.grid.test_formats import grids, written  # noqa: F401  # a fixture
from tests.outside.test_cgns import assert_accepted, checked, leaves

SPACE = ["regions", "pole", "ring", "twins", "turned twins"]
ZONES = ["structured", "unstructured", "unstructured by region", "unstructured by faces"]


def size_of(data):
    """Measure cells or faces with VTK: their number, and their volume or area."""
    sizes = vtk.vtkCellSizeFilter()
    sizes.SetInputData(data)
    sizes.ComputeSumOn()
    sizes.Update()
    found = sizes.GetOutput()
    per_cell = [vtk_to_numpy(found.GetCellData().GetArray(name)) for name in ("Volume", "Area")]
    return data.GetNumberOfCells(), per_cell


def titled(data):
    """Give the pieces of a composite data set with their names, which stand on those or on what holds them."""
    if not data.IsA("vtkPartitionedDataSetCollection"):
        yield from leaves(data)
        return
    for n in range(data.GetNumberOfPartitionedDataSets()):
        yield data.GetMetaData(n).Get(vtk.vtkCompositeDataSet.NAME()), data.GetPartition(n, 0)


def places(data):
    return vtk_to_numpy(data.GetPoints().GetData())


@pytest.mark.parametrize("name", [*SPACE, "plane"])
@pytest.mark.parametrize("zones", ZONES)
def test_the_standards_checker_accepts_zones_of_every_kind(zones, name, grids, tmp_path):  # noqa: F811
    if name == "plane" and zones != "structured":
        return
    path, _ = written("cgns", grids[name], tmp_path, {"zones": zones}, unit="mm", recipe='{"steps": []}')
    assert_accepted(path)


@pytest.mark.parametrize("name", ["twins", "turned twins"])
def test_the_checker_reads_the_periodic_joints(name, grids, tmp_path):  # noqa: F811
    said = {}
    for zones in ZONES[:2]:
        path, _ = written("cgns", grids[name], tmp_path, {"zones": zones}, unit="m")
        said[zones] = checked(path)
        with h5py.File(path) as file:
            found: list[str] = []
            file.visit(found.append)
        periodic = [at for at in found if at.endswith("Periodic/Translation")]
        assert len(periodic) == 2 * len(grids[name].periodic)
        assert "ERROR" not in said[zones]


@pytest.mark.parametrize("zones", ZONES[1:])
@pytest.mark.parametrize("name", SPACE)
def test_vtk_reads_unstructured_zones_with_the_same_volume(zones, name, grids, tmp_path):  # noqa: F811
    grid = grids[name]
    path, _ = written("cgns", grid, tmp_path, {"zones": zones})
    reader = vtk.vtkCGNSReader()
    reader.SetFileName(str(path))
    reader.UpdateInformation()
    reader.EnableAllBases()
    reader.Update()
    solids = [d for _, d in leaves(reader.GetOutput()) if d is not None and d.GetNumberOfCells()]
    volume = sum(size_of(d)[1][0].sum() for d in solids)
    # VTK cuts bent faces of cells by faces into triangles in its own way.
    near = 1e-3 if zones == "unstructured by faces" else 1e-6
    assert volume == pytest.approx(measure(grid).volume.sum(), rel=near)


@pytest.mark.parametrize("key", ["vtk", "vtkhdf", "xdmf"])
@pytest.mark.parametrize("name", SPACE)
def test_vtk_reads_cells_patches_and_regions(key, name, grids, tmp_path):  # noqa: F811
    """Wedges have to be in VTK's own order: their volumes come out negative otherwise."""
    grid = grids[name]
    path, _ = written(key, grid, tmp_path, {"cells": "unstructured"} if key == "vtk" else {})
    cells, faces = {}, {}
    if key == "xdmf":
        reader = vtk.vtkXdmfReader()
        reader.SetFileName(str(path))
        reader.Update()
        data = reader.GetOutputDataObject(0)
        count, (volume, area) = size_of(data)
        patch, region = (vtk_to_numpy(data.GetCellData().GetArray(n)) for n in ("patch", "region"))
        assert count == grid.cells + sum(grid.patch_faces(p) for p in grid.patches)
        for n, one in enumerate(grid.patches, 1):
            faces[one.name] = int((patch == n).sum()), area[patch == n].sum()
        for n, one in enumerate(grid.regions, 1):
            cells[one] = (
                int(((region == n) & (patch == 0)).sum()),
                volume[region == n].sum(),
                volume[region == n].min(),
            )
    else:
        reader = vtk.vtkXMLMultiBlockDataReader() if key == "vtk" else vtk.vtkHDFReader()
        reader.SetFileName(str(path))
        reader.Update()
        for title, data in titled(reader.GetOutput()):
            count, (volume, area) = size_of(data)
            if data.IsA("vtkUnstructuredGrid"):
                cells[title.removeprefix("region_")] = count, volume.sum(), volume.min()
            else:
                faces[title] = count, area.sum()
    wanted = measure(grid)
    regions = dict(grid.regions) or {"cells" if key == "vtkhdf" else "blocks": tuple(range(len(grid.xyz)))}
    for region, blocks in regions.items():
        index = np.concatenate([np.arange(grid.starts[b], grid.starts[b + 1]) for b in blocks])
        count, volume, least = cells[region]
        assert count == len(index)
        # VTK cuts cells with warped faces into tetrahedra.
        assert volume == pytest.approx(wanted.volume[index].sum(), rel=1e-3 if "turned" in name else 1e-9)
        assert least > 0
    for patch in grid.patches:
        count, area = faces[patch.name]
        assert count == grid.patch_faces(patch)
        assert area > 0


@pytest.mark.parametrize("name", SPACE)
def test_meshio_agrees_on_nodes_cells_and_patches(name, grids, tmp_path):  # noqa: F811
    """Of XDMF meshio reads all; of the .vtu pieces cells and nodes; of STL the faces."""
    grid = grids[name]
    cells = Cells.of(grid)
    path, _ = written("xdmf", grid, tmp_path)
    mesh = meshio.read(path)
    found = {}
    for block in mesh.cells:
        found[block.type] = found.get(block.type, 0) + len(block.data)
    assert found["hexahedron"] == cells.counts[HEXA]
    assert found.get("wedge", 0) == cells.counts.get(PENTA, 0)
    corners = np.concatenate([block.data for block in mesh.cells if block.type == "hexahedron"])
    assert np.array_equal(corners, np.concatenate(list(cells.solids(HEXA))))
    for block, ids in zip(grid.xyz, cells.numbering.ids, strict=True):
        assert np.array_equal(mesh.points[ids], block)
    patch = np.concatenate(mesh.cell_data["patch"])
    assert [int((patch == n).sum()) for n in range(1, len(grid.patches) + 1)] == [
        grid.patch_faces(one) for one in grid.patches
    ]
    _, files = written("vtk", grid, tmp_path, {"cells": "unstructured"})
    pieces = [meshio.read(file) for file in files if file.suffix == ".vtu"]
    assert sum(len(block.data) for piece in pieces for block in piece.cells) == grid.cells
    _, files = written("stl", grid, tmp_path, {"form": "binary, a file each"})
    with np.errstate(over="ignore"):  # it looks whether they are text, as if their words were numbers
        areas = {file.stem: triangles(meshio.read(file)) for file in files}
    (whole,) = written("stl", grid, tmp_path, {"form": "text, one file"})[1]
    reader = vtk.vtkSTLReader()
    reader.SetFileName(str(whole))
    reader.ScalarTagsOn()
    reader.Update()
    solids = vtk_to_numpy(reader.GetOutput().GetCellData().GetScalars())
    assert size_of(reader.GetOutput())[1][1].sum() == pytest.approx(
        sum(a for _, a in areas.values()), rel=1e-5
    )
    assert len(np.unique(solids)) == len(grid.patches)
    closed = sum(normal for normal, _ in areas.values())
    assert np.abs(closed).max() < 1e-5 * sum(a for _, a in areas.values())


def triangles(mesh):
    """Give the sum of the area vectors of triangles, and their area."""
    p, q, r = (mesh.points[mesh.cells_dict["triangle"][:, n]].astype(float) for n in range(3))
    normal = 0.5 * np.cross(q - p, r - p)
    return normal.sum(axis=0), np.linalg.norm(normal, axis=1).sum()


@pytest.mark.parametrize("precision", ["double", "single"])
@pytest.mark.parametrize("order", ["little-endian", "big-endian"])
@pytest.mark.parametrize("form", ["binary", "Fortran records", "text"])
def test_vtks_plot3d_reader_agrees(form, order, precision, grids, tmp_path):  # noqa: F811
    grid = grids["ring"]
    path, _ = written("plot3d", grid, tmp_path, {"form": form, "bytes": order, "precision": precision})
    reader = vtk.vtkMultiBlockPLOT3DReader()
    reader.SetFileName(str(path))
    reader.SetBinaryFile(form != "text")
    reader.SetMultiGrid(True)
    reader.SetIBlanking(False)
    reader.SetHasByteCount(form == "Fortran records")
    if order == "big-endian":
        reader.SetByteOrderToBigEndian()
    else:
        reader.SetByteOrderToLittleEndian()
    reader.SetDoublePrecision(precision == "double")
    reader.Update()
    blocks = [d for _, d in leaves(reader.GetOutput())]
    assert len(blocks) == len(grid.xyz)
    for data, nodes in zip(blocks, grid.xyz, strict=True):
        assert [data.GetExtent()[n] + 1 for n in (1, 3, 5)] == list(nodes.shape[:3])
        assert np.allclose(places(data), nodes.transpose(2, 1, 0, 3).reshape(-1, 3), rtol=1e-6)


WRITER = """
program w
  implicit none
  integer :: n(3,2), b, i, j, k
  integer, allocatable :: blank(:,:,:)
  {real}, allocatable :: x(:,:,:,:)
  n = reshape([3,4,2, 2,3,5], [3,2])
  open(10, file='{name}', form='{form}', access='{access}', convert='{convert}')
  write(10{how}) 2
  write(10{how}) n
  do b = 1, 2
    allocate(x(n(1,b),n(2,b),n(3,b),3), blank(n(1,b),n(2,b),n(3,b)))
    do k = 1, n(3,b); do j = 1, n(2,b); do i = 1, n(1,b)
      x(i,j,k,:) = [real(i+10*b,8), real(j,8)/3, real(k,8)**2]
    end do; end do; end do
    blank = 1
    {body}
    deallocate(x, blank)
  end do
end program
"""
READER = """
program r
  implicit none
  integer :: blocks, b, i
  integer, allocatable :: n(:,:)
  real(8), allocatable :: x(:,:,:,:)
  real(8) :: total
  open(10, file='g.xyz', form='{form}', access='{access}', convert='{convert}')
  read(10{how}) blocks
  allocate(n(3,blocks))
  read(10{how}) n
  do b = 1, blocks
    allocate(x(n(1,b),n(2,b),n(3,b),3))
    read(10{how}) x
    print '(3i8,3es25.16)', n(:,b), x(2,1,1,1), x(1,2,1,2), x(n(1,b),n(2,b),n(3,b),3)
    deallocate(x)
  end do
end program
"""
FORMS = {
    "binary": {"form": "unformatted", "access": "stream", "how": ""},
    "Fortran records": {"form": "unformatted", "access": "sequential", "how": ""},
    "text": {"form": "formatted", "access": "sequential", "how": ",*"},
}
CONVERT = {"little-endian": "little_endian", "big-endian": "big_endian"}


def fortran(folder, source):
    """Build a program with gfortran, and run it."""
    assert shutil.which("gfortran"), "make installs gfortran"
    (folder / "p.f90").write_text(source)
    subprocess.run(["gfortran", "p.f90", "-o", "p"], cwd=folder, check=True)
    return subprocess.run(["./p"], cwd=folder, check=True, capture_output=True, text=True).stdout


@pytest.mark.parametrize("blanked", [False, True])
@pytest.mark.parametrize("real", ["real(8)", "real(4)"])
@pytest.mark.parametrize(
    ("form", "order"), [("binary", "little-endian"), ("Fortran records", "big-endian"),
                        ("Fortran records", "little-endian"), ("text", "little-endian")],
)  # fmt: skip
def test_what_a_fortran_program_writes_is_read(form, order, real, blanked, tmp_path):
    how = FORMS[form]
    body = f"write(10{how['how']}) x" + (", blank" if blanked else "")
    source = WRITER.format(**how, convert=CONVERT[order], real=real, name="f.xyz", body=body)
    fortran(tmp_path, source)
    grid, unit = registry.read(tmp_path / "f.xyz")
    assert (unit, [x.shape for x in grid.xyz]) == ("", [(3, 4, 2, 3), (2, 3, 5, 3)])
    for b, nodes in enumerate(grid.xyz, 1):
        i, j, k = np.indices(nodes.shape[:3]) + 1
        wanted = np.stack([i + 10 * b, j / 3, k.astype(float) ** 2], axis=-1)
        assert np.allclose(nodes, wanted, rtol=1e-15 if real == "real(8)" else 1e-6)


@pytest.mark.parametrize("order", CONVERT)
@pytest.mark.parametrize("form", FORMS)
def test_a_fortran_program_reads_what_is_written(form, order, grids, tmp_path):  # noqa: F811
    grid = grids["ring"]
    written("plot3d", grid, tmp_path, {"form": form, "bytes": order})
    said = fortran(tmp_path, READER.format(**FORMS[form], convert=CONVERT[order])).splitlines()
    for line, nodes in zip(said, grid.xyz, strict=True):
        numbers = line.split()
        assert tuple(map(int, numbers[:3])) == nodes.shape[:3]
        found = [float(number) for number in numbers[3:]]
        assert found == pytest.approx([nodes[1, 0, 0, 0], nodes[0, 1, 0, 1], nodes[-1, -1, -1, 2]], rel=1e-15)


def test_vts_files_of_every_encoding_are_read(grids, tmp_path):  # noqa: F811
    """Written by VTK itself: text, base64 and raw, packed or not, numbers of both sizes and byte orders."""
    nodes = grids["ring"].xyz[0]
    data = vtk.vtkStructuredGrid()
    data.SetDimensions(nodes.shape[:3])
    for precision, rel in (("double", 0), ("single", 1e-6)):
        points = vtk.vtkPoints()
        points.SetDataTypeToDouble() if precision == "double" else points.SetDataTypeToFloat()
        for place in nodes.transpose(2, 1, 0, 3).reshape(-1, 3):
            points.InsertNextPoint(place)
        data.SetPoints(points)
        for n, (mode, compressor, head, order) in enumerate(
            (mode, compressor, head, order)
            for mode in ("Ascii", "Binary", "Appended", "Appended64")
            for compressor in ("None", "ZLib", "LZMA")
            for head in ("32", "64")
            for order in ("Little", "Big")
        ):
            writer = vtk.vtkXMLStructuredGridWriter()
            writer.SetFileName(str(tmp_path / f"{precision}{n}.vts"))
            writer.SetInputData(data)
            getattr(writer, f"SetDataModeTo{mode.removesuffix('64')}")()
            writer.SetEncodeAppendedData(mode == "Appended64")
            getattr(writer, f"SetCompressorTypeTo{compressor}")()
            getattr(writer, f"SetHeaderTypeToUInt{head}")()
            getattr(writer, f"SetByteOrderTo{order}Endian")()
            writer.Write()
            grid, _ = registry.read(tmp_path / f"{precision}{n}.vts")
            assert np.allclose(grid.xyz[0], nodes, rtol=rel, atol=1e-12 if rel else 1e-10), (mode, compressor)


def test_nodes_that_are_blanked_out_are_holes(tmp_path):
    """PLOT3D (Walatka et al. 1990, NASA TM 101067): iblank 0 is no part of the grid."""
    nodes = np.stack(np.meshgrid(*(np.linspace(0, 1, n) for n in (5, 5, 3)), indexing="ij"), axis=-1)
    blank = np.ones(nodes.shape[:3], dtype=int)
    blank[2, 2] = 0  # a column of nodes: the four columns of cells around it
    numbers = [nodes[..., axis].T.ravel() for axis in range(3)] + [blank.T.ravel()]
    text = "1\n5 5 3\n" + "\n".join(" ".join(map(str, part)) for part in numbers)
    (tmp_path / "a.xyz").write_text(text)
    grid, _ = registry.read(tmp_path / "a.xyz")
    assert grid.cells == 4 * 4 * 2 - 4 * 2
    assert measure(grid).volume.sum() == pytest.approx(1 - 0.25)
    assert "8 cells at nodes that are blanked out" in grid.notes[0]
    head = np.array([1, 5, 5, 3], dtype="<i4").tobytes()
    binary = np.concatenate(numbers[:3]).astype("<f8").tobytes() + numbers[3].astype("<i4").tobytes()
    (tmp_path / "b.xyz").write_bytes(head + binary)
    assert registry.read(tmp_path / "b.xyz")[0].cells == grid.cells


@pytest.mark.parametrize("times", ["8*0.5", "4*0.5 4*.5", "0.5 7*5e-1", "0.5 0.5,6*5d-1"])
def test_numbers_that_stand_for_several_are_those(tmp_path, times):
    """As Fortran's list-directed output writes them (ISO 1539, 10.10)."""
    corners = "0 1 0 1 0 1 0 1 0 0 1 1 0 0 1 1"
    (tmp_path / "a.xyz").write_text(f"1\n2 2 2\n{corners}\n{times}\n")
    grid, _ = registry.read(tmp_path / "a.xyz")
    assert (grid.xyz[0][..., 2] == 0.5).all()
    (tmp_path / "b.xyz").write_text(f"1\n2 2 2\n{corners}\n999999999999*1.0\n")
    with pytest.raises(BadFile):
        registry.read(tmp_path / "b.xyz")
