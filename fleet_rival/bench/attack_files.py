"""Files that are small and unpack to far more: what the attack sends, and the tests read."""

import io
import struct
import zipfile
import zlib
from collections.abc import Callable
from typing import Final

import pyarrow as pa
import pyarrow.parquet as pq

__all__ = ["LAP_FILES", "far_cell", "package", "picture", "shared_string", "telemetry"]

_TYPES: Final = "application/vnd.openxmlformats-officedocument.spreadsheetml"
_MAIN: Final = "http://schemas.openxmlformats.org/spreadsheetml/2006/main"
_OFFICE: Final = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_PACKAGE: Final = "http://schemas.openxmlformats.org/package/2006"
_OPEN: Final = "urn:oasis:names:tc:opendocument:xmlns"


def _workbook(rows: str, shared: str = "") -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr(
            "[Content_Types].xml",
            f'<Types xmlns="{_PACKAGE}/content-types"><Default Extension="xml" ContentType="application/xml"/>'
            f'<Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/>'
            f'<Override PartName="/xl/workbook.xml" ContentType="{_TYPES}.sheet.main+xml"/>'
            f'<Override PartName="/xl/worksheets/sheet1.xml" ContentType="{_TYPES}.worksheet+xml"/></Types>',
        )
        archive.writestr(
            "_rels/.rels",
            f'<Relationships xmlns="{_PACKAGE}/relationships"><Relationship Id="r1" Type="{_OFFICE}/officeDocument" '
            'Target="xl/workbook.xml"/>'
            "</Relationships>",
        )
        sheets = '<sheets><sheet name="a" sheetId="1" r:id="r1"/></sheets>'
        archive.writestr("xl/workbook.xml", f'<workbook xmlns="{_MAIN}" xmlns:r="{_OFFICE}">{sheets}</workbook>')
        archive.writestr(
            "xl/_rels/workbook.xml.rels",
            f'<Relationships xmlns="{_PACKAGE}/relationships"><Relationship Id="r1" Type="{_OFFICE}/worksheet" '
            'Target="worksheets/sheet1.xml"/>'
            f'<Relationship Id="r2" Type="{_OFFICE}/sharedStrings" Target="sharedStrings.xml"/></Relationships>',
        )
        archive.writestr(
            "xl/worksheets/sheet1.xml", f'<worksheet xmlns="{_MAIN}"><sheetData>{rows}</sheetData></worksheet>'
        )
        archive.writestr(
            "xl/sharedStrings.xml", f'<sst xmlns="{_MAIN}" count="1" uniqueCount="1"><si><t>{shared}</t></si></sst>'
        )
    return out.getvalue()


def far_cell() -> bytes:
    """An XLSX with a cell in each of two corners."""
    return _workbook('<row r="1"><c r="A1"><v>1</v></c></row><row r="1048576"><c r="XFD1048576"><v>1</v></c></row>')


def shared_string() -> bytes:
    """An XLSX with one long text, twenty thousand times."""
    return _workbook(
        "".join(f'<row r="{at}"><c r="A{at}" t="s"><v>0</v></c></row>' for at in range(1, 20_001)), "x" * 60_000
    )


def repeated_cells() -> bytes:
    """An ODS with one cell that is repeated to twenty million."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("mimetype", "application/vnd.oasis.opendocument.spreadsheet")
        names = f'xmlns:manifest="{_OPEN}:manifest:1.0"'
        kind = 'manifest:media-type="application/vnd.oasis.opendocument.spreadsheet"'
        entry = f'<manifest:file-entry manifest:full-path="/" {kind}/>'
        archive.writestr("META-INF/manifest.xml", f"<manifest:manifest {names}>{entry}</manifest:manifest>")
        cell = (
            '<table:table-cell office:value-type="string" '
            f'table:number-columns-repeated="1000"><text:p>{"x" * 60}</text:p></table:table-cell>'
        )
        names = " ".join(f'xmlns:{name}="{_OPEN}:{name}:1.0"' for name in ("office", "table", "text"))
        table = (
            '<table:table table:name="a"><table:table-row '
            f'table:number-rows-repeated="20000">{cell}</table:table-row></table:table>'
        )
        document = f"<office:body><office:spreadsheet>{table}</office:spreadsheet></office:body>"
        archive.writestr("content.xml", f"<office:document-content {names}>{document}</office:document-content>")
    return out.getvalue()


def _one_text(rows: int, size: int, **columns: list[float]) -> bytes:
    names = pa.DictionaryArray.from_arrays(pa.array([0] * rows, pa.int32()), pa.array(["x" * size]))
    table = pa.table(
        {
            "driver": names,
            "session": names,
            "lap": pa.array([1] * rows),
            **{name: pa.array(values) for name, values in columns.items()},
        }
    )
    out = io.BytesIO()
    pq.write_table(table, out, compression="zstd", store_schema=False)
    return out.getvalue()


def dictionary() -> bytes:
    """A Parquet lap file with one long text, twenty thousand times."""
    return _one_text(20_000, 60_000, time=[60.0] * 20_000)


def telemetry() -> bytes:
    """A Parquet telemetry file with one long text in each of two million samples."""
    same = [1.0] * 2_000_000
    return _one_text(2_000_000, 60_000, time_s=same, distance_m=same, speed_kmh=same)


def picture(side: int = 6320) -> bytes:
    """A PNG of one colour and forty million points."""

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    packed = zlib.compressobj(9)
    line = b"\0" + b"\0" * side * 4
    data = b"".join(packed.compress(line) for _ in range(side)) + packed.flush()
    head = struct.pack(">IIBBBBB", side, side, 8, 6, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", data) + chunk(b"IEND", b"")


def package(megabytes: int = 300) -> bytes:
    """An exchange package whose description is larger than all teams."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive, archive.open("datapackage.json", "w") as file:
        for _ in range(megabytes):
            file.write(b"[" + b"0," * 499_999)
    return out.getvalue()


def stray_quotes() -> bytes:
    """A CSV in which each line opens a quotation mark: 400 kB."""
    return b"driver,lap,time\n" + b'a,"\n' * 100_000


def many_columns() -> bytes:
    """A CSV of a hundred thousand columns."""
    return ",".join(f"c{number}" for number in range(100_000)).encode() + b"\n1\n"


def empty_lines() -> bytes:
    """A CSV of twenty million lines with nothing in them."""
    return b"driver,lap,time\n" + b"\n" * 20_000_000


LAP_FILES: Final[dict[str, Callable[[], bytes]]] = {
    "far.xlsx": far_cell,
    "shared.xlsx": shared_string,
    "repeated.ods": repeated_cells,
    "dictionary.parquet": dictionary,
    "quotes.csv": stray_quotes,
    "columns.csv": many_columns,
    "lines.csv": empty_lines,
}
"""Each is refused as a whole or read in no time."""
