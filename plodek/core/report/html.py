"""A report as one HTML page that needs nothing else: styles and pictures are in it."""

from __future__ import annotations

from base64 import b64encode

from jinja2 import Environment

from plodek.core.report.report import Heading, Lines, Picture, Report, Rows

_PAGE = """<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width">
<title>{{ report.title }}</title>
<style>
body { font: 14px/1.5 system-ui, sans-serif; color: #22303c; background: #fffdf8;
  margin: 2.5em auto; max-width: 56em; padding: 0 1.5em; }
h1 { font-size: 1.7em; margin: 0; }
h2 { font-size: 1.1em; margin: 2em 0 .5em; border-bottom: 1px solid #ddd6c7; padding-bottom: .2em; }
.under, figcaption { color: #6a6f6c; font-size: .9em; }
figure { margin: .6em 0 1.2em; }
img { width: 100%; height: auto; border: 1px solid #ddd6c7; border-radius: 6px; }
table { border-collapse: collapse; width: 100%; font-variant-numeric: tabular-nums; }
th, td { text-align: right; padding: .2em .6em; border-bottom: 1px solid #ece6d8; }
th { color: #6a6f6c; font-weight: 500; }
th:first-child, td:first-child { text-align: left; }
tr.bad td { color: #a3243b; }
p { margin: .15em 0; }
@media print { body { margin: 0; max-width: none; } h2, figure, tr { break-inside: avoid; } }
</style>
</head>
<body>
<h1>{{ report.title }}</h1>
<p class="under">{{ report.under }}</p>
{% for part in report.parts %}
{% if kind(part) == "Heading" %}<h2>{{ part.text }}</h2>
{% elif kind(part) == "Lines" and part.numbered %}<ol>
{% for line in part.lines %}<li>{{ line }}</li>
{% endfor %}</ol>
{% elif kind(part) == "Lines" %}{% for line in part.lines %}<p>{{ line }}</p>{% endfor %}
{% elif kind(part) == "Rows" %}<table>
<thead><tr>{% for head in part.heads %}<th>{{ head }}</th>{% endfor %}</tr></thead>
<tbody>{% for row in part.rows %}<tr{% if loop.index0 in part.bad %} class="bad"{% endif %}>
{%- for value in row %}<td>{{ value }}</td>{% endfor %}</tr>
{% endfor %}</tbody></table>
{% else %}<figure><img alt="{{ part.caption }}" src="data:image/png;base64,{{ encoded(part.png) }}">
<figcaption>{{ part.caption }}</figcaption></figure>
{% endif %}{% endfor %}
</body>
</html>
"""


def page(report: Report) -> bytes:
    """Write a report as HTML."""
    template = Environment(autoescape=True).from_string(_PAGE)
    return template.render(report=report, kind=_kind, encoded=_encoded).encode("utf-8")


def _kind(part: Heading | Lines | Rows | Picture) -> str:
    return type(part).__name__


def _encoded(png: bytes) -> str:
    return b64encode(png).decode("ascii")
