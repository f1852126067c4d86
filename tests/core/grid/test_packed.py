"""Grids in ZIP files: the files of every format, packed, are the grid that they are beside each other."""

import zipfile

import numpy as np
import pytest

from plodek.core.errors import BadFile, OverBudget
from plodek.core.formats import registry
from plodek.core.formats.mesh import Mesh
from tests.core.grid.test_formats import WAYS, grids, same_cells, same_joints, written  # noqa: F401  # a fixture

READ = [
    (key, way)
    for key, way in WAYS
    if registry.formats()[key].read is not None and way.get("form") != "binary, a file each"
]


def packed(path, files, root, **others):
    with zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as archive:
        for file in files:
            archive.write(file, file.relative_to(root))
        for name, text in others.items():
            archive.writestr(name.replace("_", "."), text)
    return path


@pytest.mark.parametrize("name", ["regions", "turned twins"])
@pytest.mark.parametrize(("key", "choices"), READ)
def test_what_leaves_in_a_format_comes_back_from_a_zip_of_it(key, choices, name, grids, tmp_path):  # noqa: F811
    (tmp_path / "out").mkdir()
    _, files = written(key, grids[name], tmp_path / "out", choices, unit="mm")
    path = packed(tmp_path / "g.zip", files, tmp_path, report_md="# Hand-off", readme_txt="words")
    found, _ = registry.opened(path)
    if isinstance(found, Mesh):
        same_cells(found, grids[name], turned=choices.get("zones") == "unstructured by faces")
        return
    assert found.cells == grids[name].cells
    assert same_joints(found.interfaces, grids[name].interfaces)
    assert same_joints(found.periodic, grids[name].periodic)
    assert {p.name: p.type for p in found.patches} == {p.name: p.type for p in grids[name].patches}


def _error(path):
    with pytest.raises(BadFile) as caught:
        registry.opened(path)
    return caught.value


def test_of_several_formats_the_first_is_taken_and_of_several_grids_none(grids, tmp_path):  # noqa: F811
    both = [f for key in ("cgns", "plot3d") for f in written(key, grids["ring"], tmp_path, unit="mm")[1]]
    found, unit = registry.read(packed(tmp_path / "two.zip", both, tmp_path))
    assert (found.cells, unit, len(found.patches)) == (grids["ring"].cells, "mm", 1)
    other = tmp_path / "other.cgns"
    other.write_bytes(both[0].read_bytes())
    said = str(_error(packed(tmp_path / "three.zip", [*both, other], tmp_path)))
    assert "it holds 2 grids (g.cgns, other.cgns …). Pack the files of one grid" in said
    assert "there is no grid in it" in str(_error(packed(tmp_path / "none.zip", [], tmp_path, a_txt="words")))


def test_broken_ones_are_told_with_the_file_within(grids, tmp_path, monkeypatch):  # noqa: F811
    whole = packed(tmp_path / "g.zip", written("cgns", grids["ring"], tmp_path)[1], tmp_path)
    data = whole.read_bytes()
    chance = np.random.default_rng(0)
    for end in chance.integers(0, len(data), 20):
        (tmp_path / "cut.zip").write_bytes(data[:end])
        assert "no ZIP file" in str(_error(tmp_path / "cut.zip"))
    for at in chance.integers(0, len(data) // 2, 20):
        (tmp_path / "hit.zip").write_bytes(data[:at] + bytes([data[at] ^ 0xFF]) + data[at + 1 :])
        try:
            registry.opened(tmp_path / "hit.zip")
        except BadFile as error:
            assert "hit.zip" in str(error)
    (tmp_path / "g.cgns").write_bytes(b"words")
    assert "bad.zip, g.cgns" in str(_error(packed(tmp_path / "bad.zip", [tmp_path / "g.cgns"], tmp_path)))
    monkeypatch.setenv("PLODEK_MOST_UNPACKED_MB", "1")
    huge = packed(tmp_path / "huge.zip", [], tmp_path, a_cgns="0" * 3 * 1024**2)
    with pytest.raises(OverBudget, match=r"3 MB unpacked.*PLODEK_MOST_UNPACKED_MB"):
        registry.opened(huge)


def test_what_a_system_packs_beside_each_file_is_no_grid(grids, tmp_path):  # noqa: F811
    (file,) = written("cgns", grids["ring"], tmp_path)[1]
    with zipfile.ZipFile(tmp_path / "g.zip", "w") as archive:
        archive.write(file, "g.cgns")
        archive.writestr("__MACOSX/._g.cgns", b"attributes")
    assert registry.opened(tmp_path / "g.zip")[0].cells == grids["ring"].cells


def test_names_that_lead_out_of_the_file_are_refused(grids, tmp_path):  # noqa: F811
    (file,) = written("cgns", grids["ring"], tmp_path)[1]
    with zipfile.ZipFile(tmp_path / "g.zip", "w") as archive:
        archive.write(file, "../../../escaped.cgns")
    with pytest.raises(BadFile, match="leads out of its folder"):
        registry.opened(tmp_path / "g.zip")
    assert not any((tmp_path / up / "escaped.cgns").exists() for up in ("..", "../..", "../../.."))
