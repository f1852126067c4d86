"""Files of cells and blocks as VTK and meshio write them: each kind, each encoding, the same grid."""

import h5py
import meshio
import numpy as np
import pytest
import vtk
from vtk.util.numpy_support import numpy_to_vtk

from plodek.core.check.measure import measure
from plodek.core.errors import BadFile
from plodek.core.formats.registry import read

NI, NJ, NK = 5, 4, 3


def places():
    """Give the nodes of a bent box (i, j, k, 3): not even, so that no order can be taken for another."""
    i, j, k = np.meshgrid(np.arange(NI) ** 1.2, np.arange(NJ) * 0.7, np.arange(NK) * 0.5, indexing="ij")
    return np.stack([i + 0.1 * j, j + 0.05 * i, k + 0.02 * i * j], axis=-1)


def points(nodes):
    found = vtk.vtkPoints()
    found.SetDataTypeToDouble()
    found.SetData(numpy_to_vtk(np.ascontiguousarray(nodes.transpose(2, 1, 0, 3).reshape(-1, 3)), deep=True))
    return found


def structured():
    found = vtk.vtkStructuredGrid()
    found.SetDimensions(NI, NJ, NK)
    found.SetPoints(points(places()))
    return found


def unstructured():
    made = vtk.vtkAppendFilter()
    made.AddInputData(structured())
    made.Update()
    return made.GetOutput()


def rectilinear():
    found = vtk.vtkRectilinearGrid()
    found.SetDimensions(NI, NJ, NK)
    nodes = rectangular()
    for axis, name in enumerate("XYZ"):
        at = [0, 0, 0]
        at[axis] = slice(None)
        getattr(found, f"Set{name}Coordinates")(numpy_to_vtk(nodes[(*at, axis)].copy(), deep=True))
    return found


def rectangular():
    return np.stack(
        np.meshgrid(np.arange(NI) ** 1.3, np.arange(NJ) ** 1.1, np.arange(NK) * 0.5, indexing="ij"), axis=-1
    )


def written(writer, made, path, **how):
    for name, value in how.items():
        getattr(writer, name)(value)
    writer.SetFileName(str(path))
    writer.SetInputData(made)
    assert writer.Write()
    return path


def same(path, nodes):
    """The one block of a file has these nodes, in some turn of its axes, and fits them in all else."""
    grid, _ = read(path)
    (block,) = grid.xyz
    assert sorted(block.shape[:3]) == sorted(nodes.shape[:3])
    order = (np.lexsort(a.reshape(-1, 3).T) for a in (block, nodes))
    first, second = (a.reshape(-1, 3)[n] for a, n in zip((block, nodes), order, strict=True))
    assert np.abs(first - second).max() < 1e-6
    cells = measure(grid)
    assert not cells.folded.any()
    return cells


LEGACY = {
    "structured": (vtk.vtkStructuredGridWriter, structured, places),
    "unstructured": (vtk.vtkUnstructuredGridWriter, unstructured, places),
    "rectilinear": (vtk.vtkRectilinearGridWriter, rectilinear, rectangular),
}


@pytest.mark.parametrize("version", [42, 51])
@pytest.mark.parametrize("way", ["SetFileTypeToASCII", "SetFileTypeToBinary"])
@pytest.mark.parametrize("kind", LEGACY)
def test_legacy_files(kind, way, version, tmp_path):
    writer, make, nodes = LEGACY[kind]
    one = writer()
    getattr(one, way)()
    same(written(one, make(), tmp_path / "a.vtk", SetFileVersion=version), nodes())


@pytest.mark.parametrize("packed", ["None", "ZLib", "LZMA", "LZ4"])
@pytest.mark.parametrize("mode", ["Ascii", "Binary", "Appended"])
@pytest.mark.parametrize("ending", [".vts", ".vtr", ".vtu"])
def test_xml_files(ending, mode, packed, tmp_path):
    writer, make, nodes = {
        ".vts": (vtk.vtkXMLStructuredGridWriter, structured, places),
        ".vtr": (vtk.vtkXMLRectilinearGridWriter, rectilinear, rectangular),
        ".vtu": (vtk.vtkXMLUnstructuredGridWriter, unstructured, places),
    }[ending]
    one = writer()
    getattr(one, f"SetDataModeTo{mode}")()
    getattr(one, f"SetCompressorTypeTo{packed}")()
    same(written(one, make(), tmp_path / f"a{ending}"), nodes())


def test_cells_in_several_pieces_are_all_read_and_grids_in_several_are_refused(tmp_path):
    halves = []
    for low, high in ((0, 11), (12, 23)):
        part, one = vtk.vtkExtractCells(), vtk.vtkXMLUnstructuredGridWriter()
        part.SetInputData(unstructured())
        part.AddCellRange(low, high)
        part.Update()
        one.SetDataModeToAscii()
        halves.append(written(one, part.GetOutput(), tmp_path / "b.vtu").read_text())
    piece = halves[1][halves[1].index("<Piece") : halves[1].index("</Piece>") + len("</Piece>")]
    (tmp_path / "a.vtu").write_text(halves[0].replace("</Piece>", "</Piece>" + piece))
    same(tmp_path / "a.vtu", places())
    text = (written(vtk.vtkXMLStructuredGridWriter(), structured(), tmp_path / "a.vts")).read_bytes()
    start, end = text.index(b"<Piece"), text.index(b"</Piece>") + len(b"</Piece>")
    (tmp_path / "a.vts").write_bytes(text[:end] + text[start:end] + text[end:])
    with pytest.raises(BadFile, match="2 pieces"):
        read(tmp_path / "a.vts")


@pytest.mark.parametrize("pieces", [1, 2])
def test_vtkhdf_files_of_one_grid_in_pieces(pieces, tmp_path):
    same(written(vtk.vtkHDFWriter(), unstructured(), tmp_path / "a.vtkhdf"), places())
    if pieces == 2:  # as programs that run in parallel write it
        with h5py.File(tmp_path / "a.vtkhdf", "r+") as file:
            root = file["VTKHDF"]
            xyz, corners, types = (root[name][:] for name in ("Points", "Connectivity", "Types"))
            half = len(types) // 2
            for name in ("Points", "Connectivity", "Types", "Offsets"):
                del root[name]
            root["Points"], root["Types"] = np.vstack([xyz, xyz]), types
            root["Connectivity"] = corners
            root["Offsets"] = np.concatenate([8 * np.arange(half + 1), 8 * np.arange(len(types) - half + 1)])
            for name, values in (
                ("NumberOfPoints", [len(xyz)] * 2),
                ("NumberOfCells", [half, len(types) - half]),
                ("NumberOfConnectivityIds", [8 * half, 8 * (len(types) - half)]),
            ):
                del root[name]
                root[name] = np.array(values)
        same(tmp_path / "a.vtkhdf", places())


@pytest.mark.parametrize("form", ["XML", "HDF"])
def test_xdmf_as_meshio_writes_it(form, tmp_path):
    made = unstructured()
    corners = np.array(
        [[made.GetCell(n).GetPointId(p) for p in range(8)] for n in range(made.GetNumberOfCells())]
    )
    xyz = np.array([made.GetPoint(n) for n in range(made.GetNumberOfPoints())])
    meshio.write(tmp_path / "a.xdmf", meshio.Mesh(xyz, [("hexahedron", corners)]), data_format=form)
    same(tmp_path / "a.xdmf", places())


@pytest.mark.parametrize("name", ["a.vtk", "a.vtu", "a.vtr", "a.vtkhdf", "a.xdmf"])
@pytest.mark.parametrize("cut", [0.0, 0.4, 0.8])
def test_what_breaks_off_is_told_with_the_file(name, cut, tmp_path):
    writers = {
        "a.vtk": (vtk.vtkUnstructuredGridWriter, unstructured),
        "a.vtu": (vtk.vtkXMLUnstructuredGridWriter, unstructured),
        "a.vtr": (vtk.vtkXMLRectilinearGridWriter, rectilinear),
        "a.vtkhdf": (vtk.vtkHDFWriter, unstructured),
    }
    path = tmp_path / name
    if name == "a.xdmf":
        path.write_text("<Xdmf><Domain><Grid><Topology TopologyType='Hexahedron'/></Grid></Domain></Xdmf>")
    else:
        writer, make = writers[name]
        written(writer(), make(), path)
    data = path.read_bytes()
    path.write_bytes(data[: int(cut * len(data))])
    with pytest.raises(BadFile, match=name):
        read(path)
