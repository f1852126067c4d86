import numpy as np
import pytest

from plodek.core.errors import BadFile
from plodek.core.shape.files import point_file


@pytest.mark.parametrize(
    "text",
    [
        "0 0\n1 0\n1 1\n",
        "0,0\n1,0\n1,1",
        "0\t0\n1\t0\n1\t1\n",
        "0; 0\n1; 0\n1; 1\n",
        "Pier at bed level\n# a comment\n\n0 0\n1 0 \n! another\n1 1\n",
        "\ufeffx, y\r\n0, 0\r\n1, 0\r\n1, 1\r\n",
        "0 0 0\n1.0 0 0\n1e0 +1 0\n",
    ],
)
def test_the_usual_forms_read_the_same(text):
    (found,) = point_file.read(text.encode())
    assert found.points.tolist() == [[0, 0, 0], [1, 0, 0], [1, 1, 0]]
    assert not found.closed


def test_a_title_is_kept_and_a_repeated_first_point_closes():
    (found,) = point_file.read(b"Pier outline\n0 0\n1 0\n1 1\n0 0\n")
    assert (found.title, found.closed, len(found.points)) == ("Pier outline", True, 3)


def test_z_is_read():
    assert point_file.read(b"0 0 1.5\n1 0 1.5\n")[0].points[:, 2].tolist() == [1.5, 1.5]


@pytest.mark.parametrize(
    ("text", "rows", "word"),
    [
        ("0 0\n1 x\n1 1\n2 2 2\n", (2, 4), "line 2"),
        ("0 0\n1 nan\n1 1\n", (2,), "nan"),
        ("0 0\n1 inf\n", (2,), "line 2"),
        ("0 0\nhello\n1 1\n", (2,), "hello"),
        ("0 0\n1\n", (2,), "line 2"),
        ("1 2 3 4\n", (1,), "line 1"),
        ("", (), "0 points"),
        ("only a title\n", (), "0 points"),
        ("0 0\n", (), "1 point"),
        ("0 0\n0 0\n1 1\n", (), "same place"),
    ],
)
def test_bad_rows_are_named_and_nothing_is_half_read(text, rows, word):
    with pytest.raises(BadFile) as caught:
        point_file.read(text.encode(), "pier.txt")
    assert caught.value.rows == rows
    assert word in str(caught.value)
    assert "pier.txt" in str(caught.value)


def test_many_bad_rows_are_counted_not_listed():
    text = "0 0\n" + "a b c\n" * 20 + "1 1\n"
    with pytest.raises(BadFile, match="and 15 more are not 2 numbers") as caught:
        point_file.read(text.encode())
    assert len(caught.value.rows) == 20


def test_what_is_no_text_or_too_large_is_refused(monkeypatch):
    with pytest.raises(BadFile, match="not text"):
        point_file.read(b"\x89PNG\r\n\x1a\n\x00\xff")
    monkeypatch.setattr(point_file, "MOST_BYTES", 10)
    with pytest.raises(BadFile, match="up to"):
        point_file.read(b"0 0\n1 1\n2 2\n")


def test_closing_is_judged_by_the_size_of_the_outline():
    tiny = np.array([[0, 0], [1, 0], [1, 1]]) * 1e-6
    text = "\n".join(f"{x:.9e} {y:.9e}" for x, y in tiny)
    assert not point_file.read(text.encode())[0].closed


def test_an_empty_row_begins_another_section_with_its_own_title():
    upper, lower = point_file.read(b"upper\n0 0\n1 1\n2 0\n\n\nlower\n# side\n0 0\n1 -1\n0 0\n1 1\n0 0")
    assert (upper.title, len(upper.points), upper.closed) == ("upper", 3, False)
    assert (lower.title, len(lower.points), lower.closed) == ("lower", 4, True)
    with pytest.raises(BadFile, match="“lower” holds 1 point"):
        point_file.read(b"0 0\n1 1\n\nlower\n2 2\n")
