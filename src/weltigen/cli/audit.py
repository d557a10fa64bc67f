"""weltigen audit"""

from __future__ import annotations

import click

from ..api.opening import audit as audit_data
from ..api.opening import open_world
from ..auditing import Report
from . import options
from .show import bad, good, out, out_json, strong, warn, width

EXIT_FINDINGS = 1


@click.command()
@click.argument("world")
@click.argument("target")
@options.dialect
@options.as_json
@options.reveal
def audit(world: str, target: str, dialect: str | None, json_: bool, reveal: bool) -> None:
    """Check the data at TARGET (a folder, a database file, or a database's URL) against every rule that WORLD declares."""
    report = audit_data(open_world(world, dialect=dialect), target, reveal=reveal)
    if json_:
        out_json(report_as_json(report))
    else:
        print_report(report)
    if report:
        raise click.exceptions.Exit(EXIT_FINDINGS)


def print_report(report: Report) -> None:
    out(f"{strong(report.target)} · {report.rules:,} rules · {report.rows:,} rows · {report.seconds:.1f} s")
    for finding in report:
        out(f"{bad(' ✗')} {finding.entity}  {finding.rule}" + (f" ({finding.kind})" if finding.kind not in finding.rule else ""))
        if finding.rows:
            rows = f"{finding.rows:,} {'row' if finding.rows == 1 else 'rows'}:"
            shown = [*map(str, finding.examples), *(["…"] if finding.rows > len(finding.examples) else [])]
            one_line = f"     {rows} {'; '.join(shown)}"
            out(one_line if len(one_line) <= width() else "\n".join([f"     {rows}", *(f"       {text}" for text in shown)]))
    for text in report.unchecked:
        out(f"{warn(' !')} not checked: {text}")
    broken = len(report)
    kept = report.rules - broken - sum(1 for _ in report.unchecked)
    tail = f" · {len(report.unchecked)} not checked" if report.unchecked else ""
    out(bad(f"{max(0, kept)} rules kept · {broken} broken{tail}") if broken else good(f"{report.rules} rules, no findings{tail}"))


def report_as_json(report: Report) -> dict[str, object]:
    return {
        "target": report.target, "rules": report.rules, "rows": report.rows, "unchecked": list(report.unchecked),
        "findings": [{"entity": f.entity, "kind": f.kind, "rule": f.rule, "rows": f.rows,
                      "examples": [{"key": e.key, "values": e.values} for e in f.examples]} for f in report],
    }  # fmt: skip
