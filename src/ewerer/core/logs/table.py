"""A log from a file: any delimiter, decimal sign, encoding, rows of headers; what cannot be read is counted and told."""

from __future__ import annotations

import codecs
import csv
import io
import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from ..trade.errors import DocumentError, Problem
from .clock import Clock, looks_like_time, passed, times_of
from .quantities import COMPILED, QUANTITIES, factor_of, header_unit, plain, propose

__all__ = ["MOST_BYTES", "MOST_COLUMNS", "Log", "read_table"]

MOST_BYTES = 500 * 2**20
MOST_COLUMNS = 400
SNIFF_LINES = 300
SNIFF_BYTES = 200_000
HEAD_BYTES = 4096
PIECE_BYTES = 2**24
TURN_ROWS = 500_000
FIGURE = re.compile(r"^[+-]?(\d+([.,]\d*)?|[.,]\d+)([eE][+-]?\d+)?\s*([^\d\s]{0,6})$")
NOTHING = ("", "NaN", "nan", "null", "NULL", "-", "--", "n/a", "N/A")
"""How loggers write that there is no figure."""
YES = re.compile(r"^(true|on|yes|ja|oui|si|sì|sí|1|ein|running|aktiv|active)$", re.I)
NO = re.compile(r"^(false|off|no|nein|non|0|aus|stopped|idle|standby|inaktiv)$", re.I)


@dataclass(slots=True)
class Log:
    """A log as figures: its clock, a column by quantity (nan where nothing is), which column of the file it was, remarks."""

    clock: Clock
    columns: dict[str, np.ndarray]
    mapping: dict[str, str | None]
    rows: int
    bad_rows: int
    notes: list[str] = field(default_factory=list)

    @property
    def t_s(self) -> np.ndarray:
        """Seconds since the first row."""
        return self.clock.t_s

    @property
    def minute_of_day(self) -> np.ndarray:
        """Minute of the day by the file's own clock at each row."""
        wall = self.clock.wall
        out: np.ndarray = (wall.astype("datetime64[s]") - wall.astype("datetime64[D]")).astype(int) / 60
        return out

    def at(self, row: int) -> str:
        """Return the file's own clock at a row, ISO to the second."""
        return str(self.clock.wall[row].astype("datetime64[s]"))


def refuse(message: str, expected: str, value: object = None, pointer: str = "/file") -> DocumentError:
    """Return the refusal of a file."""
    return DocumentError([Problem(pointer=pointer, message=message, value=value, expected=expected)])


def text_of(raw: bytes) -> bytes:
    """Return the bytes of a text as UTF-8 without a mark at its begin."""
    if raw[:3] == b"\xef\xbb\xbf":
        return raw[3:]
    if raw[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return raw.decode("utf-16", "replace").encode()
    head = raw[:4000]
    if head.count(0) > len(head) / 5:
        return raw.decode("utf-16-be" if head[:1] == b"\0" else "utf-16-le", "replace").encode()
    reader = codecs.getincrementaldecoder("utf-8")()
    try:
        for at in range(0, len(raw), PIECE_BYTES):  # in pieces: a whole text would stand in memory twice
            reader.decode(raw[at : at + PIECE_BYTES], at + PIECE_BYTES >= len(raw))
    except UnicodeDecodeError:
        return raw.decode("cp1252", "replace").encode()
    return raw


@dataclass(slots=True)
class Form:
    """How a text is a table: sign between cells, lines before the first row of data, the header's words, decimal comma."""

    delimiter: str
    skip: int
    header: list[str]
    comma: bool
    clean: bool


def form_of(text: bytes) -> Form:
    """Return how a text is a table, from its first lines; refused where it is none."""
    head = text[:SNIFF_BYTES].decode("utf-8", "replace").replace("\0", "")
    lines = head.splitlines()
    if len(text) > SNIFF_BYTES and len(lines) > 1:
        lines = lines[:-1]
    lines = lines[:SNIFF_LINES]
    best: tuple[float, str, list[list[str]]] | None = None
    for sign in "\t;,|":
        rows = _cells(lines, sign)
        widths = [len(r) for r in rows if r]
        if not widths:
            continue
        usual = max(set(widths), key=lambda w: (widths.count(w), w))
        if usual < 2:
            continue
        share = widths.count(usual) / len(widths)
        figures = [c for r in rows[-60:] if len(r) == usual for c in r]
        readable = sum(_figure(c) or looks_like_time(c) or not c.strip() for c in figures) / max(1, len(figures))
        points = share * (0.3 + readable) + min(usual, 12) * 0.005
        if best is None or points > best[0]:
            best = (points, sign, rows)
    if best is None:
        raise refuse("this is no table with a time and at least one column of figures", "CSV with a header, a row a reading")
    _, sign, rows = best
    widths = [len(r) for r in rows if r]
    usual = max(set(widths), key=lambda w: (widths.count(w), w))
    if usual > MOST_COLUMNS:
        raise refuse(f"{usual} columns in a row", f"at most {MOST_COLUMNS}")
    first = next((i for i, r in enumerate(rows) if len(r) == usual and _is_data(r)), None)
    if first is None:
        raise refuse("no row of figures in the first lines", "a header, then rows with a time and figures")
    heads: list[list[str]] = []
    for r in reversed(rows[:first]):
        if len(r) != usual or len(heads) == 3 or not any(c.strip() for c in r):
            break
        heads.insert(0, r)
    body = [r for r in rows[first:] if len(r) == usual]
    cells = [c.strip() for r in body[:200] for c in r]
    commas = sum(bool(re.match(r"^[+-]?\d+,\d+\D{0,6}$", c)) for c in cells)
    points_ = sum(bool(re.match(r"^[+-]?\d+\.\d+\D{0,6}$", c)) for c in cells)
    quoted = any('"' in line for line in lines[first : first + 50])
    return Form(sign, first, _header(heads, usual), commas > points_, not quoted)


def _cells(lines: list[str], sign: str) -> list[list[str]]:
    try:
        return list(csv.reader(lines, delimiter=sign))
    except csv.Error:
        return [line.split(sign) for line in lines]


def _figure(cell: str) -> bool:
    return bool(FIGURE.match(cell.strip()))


def _is_data(row: list[str]) -> bool:
    filled = [c for c in row if c.strip()]
    return bool(filled) and sum(_figure(c) or looks_like_time(c) for c in filled) >= max(2, 0.5 * len(filled))


def _header(heads: list[list[str]], width: int) -> list[str]:
    """Return one name a column out of one to three rows of headers; a group's name goes on to the right."""
    if not heads:
        return [f"column {i + 1}" for i in range(width)]
    out = []
    for at in range(width):
        words: list[str] = []
        for row in heads:
            cell = row[at].strip()
            if not cell and row is not heads[-1] and not _units(row):
                cell = next((row[i].strip() for i in range(at, -1, -1) if row[i].strip()), "")
            if cell and cell not in words:
                words.append(f"[{cell.strip('[]()')}]" if _units(row) and row is not heads[0] else cell)
        out.append(" ".join(words) or f"column {at + 1}")
    seen: dict[str, int] = {}
    for i, name in enumerate(out):
        seen[name] = seen.get(name, 0) + 1
        if seen[name] > 1:
            out[i] = f"{name} ({seen[name]})"
    return out


def _units(row: list[str]) -> bool:
    """Return whether a row of a header says units."""
    filled = [c.strip().strip("[]()").lower() for c in row if c.strip()]
    return bool(filled) and sum(
        c in ("v", "mv", "a", "ma", "w", "kw", "%", "°c", "c", "hz", "s", "wh", "kwh", "-") for c in filled
    ) >= 0.6 * len(filled)


def read_table(source: Path | bytes, name: str, mapping: Mapping[str, str | None] | None = None, zone: str | None = None) -> Log:
    """Return the log in a file (CSV or TSV of any kind, XLSX, Parquet); ``mapping`` says what columns hold, else their words do."""
    import polars as pl

    suffix = Path(name).suffix.lower()
    head = begin_of(source)
    short = 0
    if suffix == ".parquet" or head[:4] == b"PAR1":
        try:
            frame = pl.read_parquet(source if isinstance(source, Path) else io.BytesIO(source))
        except (pl.exceptions.PolarsError, OSError, ValueError) as error:
            raise refuse("this Parquet file cannot be read", "a whole file", str(error)[:80]) from None
        if frame.width > MOST_COLUMNS:
            raise refuse(f"{frame.width} columns", f"at most {MOST_COLUMNS}")
        comma = False
    elif suffix in (".xlsx", ".xlsm") or head[:4] == b"PK\x03\x04":
        frame, comma, short = _spreadsheet(source), False, 0
    else:
        frame, comma, short = _text(source)
    if not frame.height:
        raise refuse("no row of figures", "a header, then rows with a time and figures")
    return _figures(frame, comma, short, mapping, zone)


def begin_of(source: Path | bytes) -> bytes:
    """Return the first bytes of a file; refuse one that is too large."""
    size = source.stat().st_size if isinstance(source, Path) else len(source)
    if size > MOST_BYTES:
        raise refuse(f"{size / 2**20:.0f} MB in one file", f"at most {MOST_BYTES // 2**20} MB")
    if isinstance(source, bytes):
        return source[:HEAD_BYTES]
    with source.open("rb") as held:
        return held.read(HEAD_BYTES)


def _text(source: Path | bytes) -> tuple[Any, bool, int]:
    import polars as pl

    raw = source.read_bytes() if isinstance(source, Path) else source
    text = text_of(raw)
    del raw
    form = form_of(text)
    lines = text.count(b"\n") + (not text.endswith(b"\n")) - form.skip
    begin = 0
    for _ in range(form.skip):
        begin = text.find(b"\n", begin) + 1
    blank = len(re.findall(rb"(?m)^[ \t\r]*$", text[max(begin, len(text) - 200) :])) - 1 if len(text) > begin else 0
    options: dict[str, Any] = {
        "has_header": False,
        "separator": form.delimiter,
        "infer_schema_length": 1000,
        "ignore_errors": True,
        "truncate_ragged_lines": True,
        "quote_char": None if form.clean else '"',
        "decimal_comma": form.comma and form.delimiter != ",",
        "raise_if_empty": False,
    }
    width = len(form.header)
    try:
        schema: dict[str, Any] = dict.fromkeys(form.header, pl.String)
        kinds = (
            pl.read_csv(text[begin : begin + SNIFF_BYTES].rsplit(b"\n", 1)[0] or text[begin:], **options, n_rows=1000)
            if len(text) - begin > SNIFF_BYTES
            else None
        )
        options["skip_lines"] = form.skip
        if kinds is not None and kinds.width == width:
            schema = {h: (pl.Float64 if t.is_numeric() else pl.String) for h, t in zip(form.header, kinds.dtypes, strict=True)}
            frame = pl.read_csv(text, **options, schema=schema)
            # A cell that is no figure must be told from an empty one: such columns are read as they stand.
            doubtful = [i for i, c in enumerate(form.header) if schema[c] == pl.Float64 and frame[c].null_count()]
            if doubtful:
                plain_ = pl.read_csv(text, **options, schema=dict.fromkeys(schema, pl.String), columns=doubtful)
                frame = frame.with_columns([plain_.to_series(k).alias(frame.columns[i]) for k, i in enumerate(doubtful)])
        else:
            frame = pl.read_csv(text, **options, schema=schema)
    except (pl.exceptions.PolarsError, ValueError, OSError):
        frame = _by_hand(text[begin:], form)
    return frame, form.comma, max(0, lines - frame.height - max(0, blank))


def _by_hand(body: bytes, form: Form) -> Any:
    """Return a table that the fast reader refuses, line by line."""
    import polars as pl

    width = len(form.header)
    rows = []
    for line in body.decode("utf-8", "replace").replace("\0", "").splitlines():
        cells = _cells([line], form.delimiter)
        if cells and cells[0]:
            rows.append(([*cells[0], *[""] * width])[:width])
    return pl.DataFrame(rows, schema=dict.fromkeys(form.header, pl.String), orient="row")


def _spreadsheet(source: Path | bytes) -> Any:
    import zipfile

    import openpyxl

    held = io.BytesIO(source) if isinstance(source, bytes) else source
    try:
        with zipfile.ZipFile(held) as inner:
            if sum(i.file_size for i in inner.infolist()) > MOST_BYTES:
                raise refuse("this spreadsheet is too large when unpacked", f"at most {MOST_BYTES // 2**20} MB")
        book = openpyxl.load_workbook(held, read_only=True, data_only=True)
    except (zipfile.BadZipFile, KeyError, ValueError, OSError, TypeError, AttributeError) as error:
        raise refuse("this spreadsheet cannot be read", "a whole XLSX file", str(error)[:80]) from None
    text = io.StringIO()
    out = csv.writer(text, delimiter="\t")
    try:
        for row in book.worksheets[0].iter_rows(values_only=True, max_col=MOST_COLUMNS):
            out.writerow(
                [
                    c.isoformat(" ") if hasattr(c, "isoformat") else "" if c is None else repr(c) if isinstance(c, float) else c
                    for c in row
                ]
            )
    except (zipfile.BadZipFile, KeyError, ValueError, OSError, TypeError, AttributeError, IndexError, SyntaxError) as error:
        raise refuse("this spreadsheet cannot be read", "a whole XLSX file", str(error)[:80]) from None
    finally:
        book.close()
    return _text(text.getvalue().encode())[0]


def _number(series: Any, comma: bool) -> tuple[np.ndarray, np.ndarray]:
    """Return a column as figures (nan where there is none) and where a cell was no figure."""
    import polars as pl

    if series.dtype == pl.Boolean:
        return series.cast(pl.Float64).to_numpy(), np.zeros(len(series), bool)
    if series.dtype.is_numeric():
        return series.cast(pl.Float64).to_numpy(), np.zeros(len(series), bool)
    text = series.cast(pl.String).str.strip_chars()
    text = text.replace(dict.fromkeys(NOTHING))
    if comma:
        bare = text.str.replace_all(r"\.(\d{3})\b", "${1}").str.replace(",", ".")
    else:
        bare = text.str.replace_all(r"(\d),(\d{3})\b", "${1}${2}")
    figures = bare.cast(pl.Float64, strict=False)
    if figures.null_count() > text.null_count():
        figures = figures.fill_null(
            bare.str.extract(r"^([+-]?\d*\.?\d+(?:[eE][+-]?\d+)?)\s*[^\d\s.,;:]{1,6}$").cast(pl.Float64, strict=False)
        )
        if figures.null_count() > text.null_count() and figures.null_count() > 0.5 * len(figures):
            yes, no = (
                text.str.contains(YES.pattern.replace("^(", "^(?i:(").replace(")$", "))$")),
                text.str.contains(NO.pattern.replace("^(", "^(?i:(").replace(")$", "))$")),
            )
            figures = pl.select(pl.when(yes).then(1.0).when(no).then(0.0).otherwise(figures)).to_series()
    return figures.to_numpy(), (figures.is_null() & text.is_not_null()).to_numpy()


def _time_columns(frame: Any) -> tuple[str, str | None]:
    """Return the column of times and, where days stand apart, that of days."""
    import polars as pl

    words = {c: bool(COMPILED["time"].search(plain(c))) for c in frame.columns}
    rated: list[tuple[float, int, str]] = []
    days: list[str] = []
    for i, c in enumerate(frame.columns):
        series = frame[c]
        points = 0.0
        if series.dtype.is_temporal():
            points = 3.0
        elif series.dtype == pl.String:
            sample = [t.strip() for t in series.drop_nulls().head(200).to_list() if t.strip()]
            share = sum(map(looks_like_time, sample)) / max(1, len(sample))
            if sum(
                bool(re.match(r"^(\d{4}[-/.]\d{1,2}[-/.]\d{1,2}|\d{1,2}[./-]\d{1,2}[./-]\d{2,4})$", t)) for t in sample
            ) > 0.8 * max(1, len(sample)):
                days.append(c)
            points = 2.0 * share if share > 0.5 else 0.0
        if not points and words[c]:
            figures, _ = _number(series.head(5000), False)
            good = figures[np.isfinite(figures)]
            if len(good) > 1 and float((np.diff(good) >= 0).mean()) > 0.9:
                points = 1.0
        if points:
            rated.append((points + words[c], -i, c))
    if not rated:
        raise refuse("no column of times", "a column such as 2025-06-01 12:00:00, or seconds since 1970", list(frame.columns)[:12])
    best = max(rated)[2]
    sample = [t.strip() for t in frame[best].drop_nulls().head(50).cast(pl.String).to_list()]
    only_clock = bool(sample) and all(re.match(r"^\d{1,2}:\d{2}", t) for t in sample)
    return best, days[0] if days and only_clock else None


def _figures(frame: Any, comma: bool, short: int, mapping: Mapping[str, str | None] | None, zone: str | None) -> Log:
    notes: list[str] = []
    told = dict(mapping or {})
    for header, quantity in told.items():
        if quantity is not None and quantity != "time" and quantity not in QUANTITIES:
            raise refuse("no such quantity", "one of time, " + ", ".join(QUANTITIES), quantity, f"/map/{header}")
        if header not in frame.columns:
            raise refuse(
                "no such column in this file", "one of " + ", ".join(map(str, frame.columns[:20])), header, f"/map/{header}"
            )
    given = [h for h, q in told.items() if q == "time"]
    when, day = (given[0], None) if given else _time_columns(frame)
    wall, offset, remarks = times_of(frame[when], frame[day] if day else None)
    notes += remarks
    timed = ~np.isnat(wall)
    if timed.sum() < 2:
        raise refuse("times in this file cannot be read", "times such as 2025-06-01 12:00:00", _first(frame[when]))
    bad = ~timed
    rest = [c for c in frame.columns if c not in (when, day)]
    figures: dict[str, np.ndarray] = {}
    wrong: dict[str, np.ndarray] = {}
    usual: dict[str, tuple[float, float]] = {}
    for c in rest:
        if c in told and told[c] is None:
            continue
        held, not_figures = _number(frame[c], comma)
        good = held[np.isfinite(held)]
        if not len(good) or (len(good) < 0.02 * len(held) and len(good) < 50):
            continue
        part = good[:: max(1, len(good) // 20_000)]
        figures[c], wrong[c] = held, not_figures
        usual[c] = (float(np.quantile(part, 0.05)), float(np.quantile(part, 0.95)))
    names = propose([c for c in rest if c not in told], usual)
    chosen = {c: told.get(c, names.get(c)) for c in rest}
    taken = {q for c, q in told.items() if q}
    chosen = {c: (None if c not in told and q in taken else q) for c, q in chosen.items()}
    out: dict[str, np.ndarray] = {}
    for c, quantity in chosen.items():
        if quantity is None or c not in figures:
            continue
        made, broken = _scaled(c, quantity, figures[c], usual[c], notes)
        out[quantity] = made
        bad = bad | wrong[c] | broken
    kept: np.ndarray | slice = slice(None) if timed.all() else np.flatnonzero(timed)
    wall, offset = wall[kept], None if offset is None else offset[kept]
    columns = {q: v[kept] for q, v in out.items()}
    if float((np.diff(wall.view("int64")) < 0).mean()) > 0.5:
        wall, offset = wall[::-1], None if offset is None else offset[::-1]
        columns = {q: v[::-1] for q, v in columns.items()}
        notes.append("The newest row stood first; the file was read from its end.")
    full: dict[str, str | None] = {c: chosen.get(c) for c in frame.columns}
    full[when] = "time"
    if day:
        full[day] = "time"
    if not out:
        raise refuse(
            "no column that Ewerer knows of",
            "columns such as volts, amps, charge, or a mapping",
            list(map(str, frame.columns))[:12],
        )
    clock = passed(wall, offset, zone)
    log = Log(clock, columns, full, len(wall), int(bad.sum()) + short, notes + clock.notes)
    _turn(log)
    return log


def _first(series: Any) -> object:
    held = series.drop_nulls()
    return held[0] if len(held) else None


def _scaled(
    header: str, quantity: str, figures: np.ndarray, usual: tuple[float, float], notes: list[str]
) -> tuple[np.ndarray, np.ndarray]:
    """Return figures in the quantity's own unit, nan where they cannot be, and where that was so."""
    made = QUANTITIES[quantity]
    unit = header_unit(header)
    if quantity == "soc":
        factor = 0.01 if unit in ("%", "pct", "percent", "prozent") or usual[1] > 1.5 else 1.0
    else:
        factor = factor_of(quantity, unit) or 1.0
    out = figures * factor if factor != 1.0 else figures
    if quantity.endswith("_c") and unit in ("degf", "f", "fahrenheit"):
        out = (out - 32) / 1.8
    if quantity in ("generator", "on_mains", "forced"):
        out = np.where(np.isfinite(out), (out > (50.0 if float(np.nanmax(out, initial=0)) > 1 else 0.5)).astype(float), np.nan)
    with np.errstate(invalid="ignore"):
        broken = (out < made.low) | (out > made.high)
    if broken.any():
        out = np.where(broken, np.nan, out)
        notes.append(f"{int(broken.sum())} figures of {header} are beyond what {made.word.lower()} can be and are left out.")
    return out, broken


def _turn(log: Log) -> None:
    """Make amps positive into the bank, by what charge or volts did while they flowed; say so."""
    amps = log.columns.get("amps")
    if amps is None or len(amps) < 20:
        return
    sign = _way(log, TURN_ROWS)
    if abs(sign) < 0.5 and len(amps) > TURN_ROWS:
        sign = _way(log, len(amps))
    if sign < -0.3:
        log.columns["amps"] = -amps
        log.notes.append("Amps were positive out of the bank; their sign was turned.")
        if "shunt_a" in log.columns:
            other = log.columns["shunt_a"]
            both = np.isfinite(other) & np.isfinite(amps)
            if both.sum() > 10 and float(np.sum(other[both] * amps[both])) > 0:
                log.columns["shunt_a"] = -other


def _way(log: Log, rows: int) -> float:
    """Return whether amps are positive into the bank, 1 surely so, -1 surely not, by the first rows of a log."""
    amps = log.columns["amps"][:rows]
    soc, volts = (c[:rows] if (c := log.columns.get(q)) is not None else None for q in ("soc", "volts"))
    sign = 0.0
    if soc is not None and np.nanmax(soc, initial=0) - np.nanmin(soc, initial=1) > 0.03:
        dt = np.clip(np.diff(log.t_s[:rows]), 0, 10 * max(log.clock.step_s, 1.0))
        way = np.concatenate([[0.0], np.cumsum(np.nan_to_num((amps[1:] + amps[:-1]) / 2) * dt)])
        ok = np.isfinite(soc)
        if ok.sum() > 10 and np.std(way[ok]) > 0:
            sign = float(np.corrcoef(way[ok], soc[ok])[0, 1])
    if abs(sign) < 0.5 and volts is not None:
        d_v, d_a = np.diff(volts), np.diff(amps)
        ok = np.isfinite(d_v) & np.isfinite(d_a) & (np.abs(d_a) > max(2.0, 3 * float(np.nanmedian(np.abs(d_a)))))
        if ok.sum() >= 5:
            sign = float(np.sum(d_v[ok] * d_a[ok])) / float(np.sqrt(np.sum(d_v[ok] ** 2) * np.sum(d_a[ok] ** 2)) or 1.0)
    return sign
