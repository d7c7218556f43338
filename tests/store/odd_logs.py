"""Logs as meters and spreadsheets write them, each with its right answer: the same five rows."""

from collections.abc import Iterator

TIME = [0.0, 1.0, 2.0, 3.0, 4.0]
VOLTS = [13.6, 13.55, 13.5, 13.45, 13.4]
AMPS = [0.0, 1.2, 2.4, 3.6, 4.8]


def rows(separator: str, *columns: list[object], mark: str = ".", end: str = "\n") -> str:
    """Rows of columns as text."""
    lines = [separator.join(str(c).replace(".", mark) if isinstance(c, float) else str(c) for c in row)
             for row in zip(*columns, strict=True)]  # fmt: skip
    return end.join(lines) + end


def logs() -> Iterator[tuple[str, bytes]]:
    """Name and bytes of each."""
    plain = rows(",", TIME, VOLTS, AMPS)
    semi = rows(";", TIME, VOLTS, AMPS, mark=",")
    for name, head in {
        "english": "time,voltage,current", "short": "t,v,i", "brackets": "time [s],voltage [V],current [A]",
        "round": "Time (s),Voltage (V),Current (A)", "stroke": "t/s,U/V,I/A",
        "quoted": '"time","volts","amps"', "capitals": "TIME,VOLTAGE,CURRENT",
        "suffix": "time_s,voltage_V,current_A",
    }.items():  # fmt: skip
        yield name, f"{head}\n{plain}".encode()
    for name, head in {
        "german": "Zeit;Spannung;Strom", "french": "Temps;Tension;Courant",
        "spanish": "Tiempo;Tensión;Corriente",
        "italian": "Tempo;Tensione;Corrente", "polish": "Czas;Napięcie;Prąd", "swedish": "Tid;Spänning;Ström",
        "dutch": "Tijd;Spanning;Stroom", "finnish": "Aika;Jännite;Virta",
    }.items():  # fmt: skip
        yield f"{name}, decimal comma", f"{head}\n{semi}".encode()
    german = f"Zeit;Spannung;Strom\n{semi}"
    yield "utf-8 with its mark", b"\xef\xbb\xbf" + german.encode()
    yield "utf-16 with its mark", german.encode("utf-16")
    yield "utf-16 without a mark", german.encode("utf-16-le")
    yield "utf-16, the other way", german.encode("utf-16-be")
    yield "latin-1", f"Temps;Tension;Intensité\n{semi}".encode("latin-1")
    head = "time,voltage,current\n"
    yield "windows lines", (head + plain).replace("\n", "\r\n").encode()
    yield "cr alone", (head + plain).replace("\n", "\r").encode()
    yield "no last line end", (head + plain).rstrip().encode()
    yield "tabs", ("time\tvoltage\tcurrent\n" + rows("\t", TIME, VOLTS, AMPS)).encode()
    yield "tabs and commas", ("time\tvoltage\tcurrent\n" + rows("\t", TIME, VOLTS, AMPS, mark=",")).encode()
    yield "spaces", ("time voltage current\n" + rows("   ", TIME, VOLTS, AMPS)).encode()
    yield "spaces and commas", ("time voltage current\n" + rows("  ", TIME, VOLTS, AMPS, mark=",")).encode()
    yield "strokes", ("time|voltage|current\n" + rows("|", TIME, VOLTS, AMPS)).encode()
    yield "spaces behind commas", (head + rows(", ", TIME, VOLTS, AMPS)).encode()
    yield "quoted cells", (head + rows(",", *([f'"{x}"' for x in c] for c in (TIME, VOLTS, AMPS)))).encode()
    comma = [[f'"{x}"'.replace(".", ",") for x in c] for c in (TIME, VOLTS, AMPS)]
    yield "quoted decimal commas", (head + rows(",", *comma)).encode()
    yield "a preamble", ("Device 3\nFirmware 1.2\n\n" + head + plain).encode()
    yield "a preamble of pairs", ("Device;3\nMode;CC\n" + "Zeit;Spannung;Strom\n" + semi).encode()
    yield "a footer", (head + plain + "\nEnd of record\n").encode()
    yield "both", ("Log of tonight\n" + head + plain + "5 rows in all, none lost\n").encode()
    yield "a units row", ("time,voltage,current\ns,V,A\n" + plain).encode()
    yield "a units row in brackets", ("time,voltage,current\n[s],[V],[A]\n" + plain).encode()
    in_milli = rows(",", TIME, [1e3 * v for v in VOLTS], [1e3 * a for a in AMPS])
    yield "a units row, milli", f"time,voltage,current\ns,mV,mA\n{in_milli}".encode()
    yield "remarks", ("# bench 2\n# by hand\n" + head + plain).encode()
    yield "a header that is a remark", ("# time, voltage, current\n" + plain).encode()
    yield "remarks within", (head + plain.replace("2.0,", "# a pause\n2.0,")).encode()
    yield "empty lines within", (head + plain.replace("\n", "\n\n")).encode()
    yield "milli in headers", f"time (s),voltage (mV),current (mA)\n{in_milli}".encode()
    yield (
        "minutes",
        ("time (min),voltage,current\n" + rows(",", [t / 60 for t in TIME], VOLTS, AMPS)).encode(),
    )
    yield "hours", ("time (h),voltage,current\n" + rows(",", [t / 3600 for t in TIME], VOLTS, AMPS)).encode()
    units = [f"{v} V" for v in VOLTS], [f"{a} A" for a in AMPS]
    yield "units in cells", (head + rows(",", TIME, *units)).encode()
    milli = [f"{1e3 * v:g}mV" for v in VOLTS], [f"{1e3 * a:g}mA" for a in AMPS]
    yield "milli in cells", (head + rows(",", TIME, *milli)).encode()
    mixed = ["0 A", "1.2 A", "2.4 A", "3600 mA", "4.8 A"]
    yield "mixed prefixes", (head + rows(",", TIME, VOLTS, mixed)).encode()
    yield "seconds in cells", (head + rows(",", [f"{t:g} s" for t in TIME], VOLTS, AMPS)).encode()
    thousand = [f"{1e3 * v:,.1f}" for v in VOLTS]
    yield "thousands, point", ("time;voltage (mV);current\n" + rows(";", TIME, thousand, AMPS)).encode()
    point = [t.replace(",", "x").replace(".", ",").replace("x", ".") for t in thousand]
    commas = ([str(x).replace(".", ",") for x in c] for c in (TIME, AMPS))
    first, last = commas
    yield "thousands, comma", ("Zeit;Spannung (mV);Strom\n" + rows(";", first, point, last)).encode()
    spaced = [t.replace(",", " ") for t in thousand]
    yield "thousands, spaces", ("time;voltage (mV);current\n" + rows(";", TIME, spaced, AMPS)).encode()
    clock = [f"20:15:{3 + t:02.0f}" for t in TIME]
    yield "times of day", (head + rows(",", clock, VOLTS, AMPS)).encode()
    yield "past midnight", (head + rows(",", ["23:59:58", "23:59:59", "00:00:00", "0:00:01", "0:00:02"],
                                        VOLTS, AMPS)).encode()  # fmt: skip
    iso = [f"2026-11-29T{c}" for c in clock]
    yield "iso", (head + rows(",", iso, VOLTS, AMPS)).encode()
    yield "iso with a space", (head + rows(",", [i.replace("T", " ") for i in iso], VOLTS, AMPS)).encode()
    yield "iso with a zone", (head + rows(",", [f"{i}Z" for i in iso], VOLTS, AMPS)).encode()
    german_rows = rows(";", VOLTS, AMPS, mark=",").splitlines()
    dated = "\n".join(f"29.11.2026 {c};{r}" for c, r in zip(clock, german_rows, strict=True))
    yield "dotted dates", f"Zeit;Spannung;Strom\n{dated}\n".encode()
    yield "two columns of time", ("date,time,voltage,current\n" + rows(
        ",", ["2026-11-29"] * 5, clock, VOLTS, AMPS)).encode()  # fmt: skip
    yield (
        "month first, told by a day",
        (head + rows(",", [f"11/29/2026 {c}" for c in clock], VOLTS, AMPS)).encode(),
    )
    dates = ["2026-11-29"] * 2 + ["2026-11-30"] * 3
    midnight = ["23:59:58", "23:59:59", "00:00:00", "00:00:01", "00:00:02"]
    yield "two columns of time, past midnight", ("date,time,voltage,current\n" + rows(
        ",", dates, midnight, VOLTS, AMPS)).encode()  # fmt: skip
    yield "two columns of time, the clock first", ("time,date,voltage,current\n" + rows(
        ",", midnight, dates, VOLTS, AMPS)).encode()  # fmt: skip
    timer = [f"00:{t:02.0f}" for t in TIME]
    yield "minutes and seconds, said so", ("time (mm:ss),voltage,current\n" + rows(
        ",", timer, VOLTS, AMPS)).encode()  # fmt: skip
    yield "a column of units", ("time,voltage,unit,current,unit\n" + rows(
        ",", TIME, VOLTS, ["V"] * 5, AMPS, ["A"] * 5)).encode()  # fmt: skip
    ranged = [13.6, 13550.0, 13500.0, 13.45, 13.4]
    small = [1e3 * a for a in AMPS]
    yield "a column of units that change", ("time,voltage,unit,current,unit\n" + rows(
        ",", TIME, ranged, ["V", "mV", "mV", "V", "V"], small, ["mA"] * 5)).encode()  # fmt: skip
    yield "what was set beside", ("time,set voltage,voltage,current,current limit\n" + rows(
        ",", TIME, [13.6] * 5, VOLTS, AMPS, [10.0] * 5)).encode()  # fmt: skip
    yield "two lines of pairs above", ("Device,bench 3\nSerial,17\n" + head + plain).encode()
    yield "half days", (head + rows(",", [f"8:15:{3 + t:02.0f} PM" for t in TIME], VOLTS, AMPS)).encode()
    yield "unix", (head + rows(",", [1.7962e9 + t for t in TIME], VOLTS, AMPS)).encode()
    yield "a mode beside", ("time,mode,voltage,current\n" + rows(",", TIME, ["CC"] * 5, VOLTS, AMPS)).encode()
    yield "an empty last column", ("time,voltage,current,\n" + plain.replace("\n", ",\n")).encode()
    yield "minus as it is printed", (head + plain.replace("0.0,13.6", "0.0,+13.6")).encode()
    yield "powers of ten", (head + rows(",", TIME, [f"{v / 10:.4f}E+01" for v in VOLTS], AMPS)).encode()
    gaps = plain.replace("4.0,13.4,4.8\n", "4.0,13.4,4.8\n5.0,,\n6.0,---,4.8\n")
    yield "gaps", (head + gaps).encode()


#: What is asked about or refused, and a word of the sentence.
REFUSED = {
    "an unknown unit": (b"time,voltage,current\n0,13.6 fu,1\n1,13.5 fu,2\n", "fu"),
    "an unknown unit in a header": (b"time,voltage (furlong),current\n0,13.6,1\n1,13.5,2\n", "furlong"),
    "no figures": (b"a file of words\nand no more\n", "no rows of figures"),
    "thousands or decimals": (
        b"time\tvoltage\tcurrent\n1\t13,600\t1,200\n2\t13,550\t2,400\n",
        "decimal=comma",
    ),
    "day or month": (b"time,voltage,current\n03/04/2026 10:00,1,2\n04/04/2026 10:00,1,2\n", "day-first"),
    "a torn row": (b"time,voltage,current\n0,13.6,1\n1,13.5,2\n2,13.\x00", "columns than the header"),
    "a word among figures": (b"time,voltage,current\n0,13.6,1\n1,13.5,2\n2,13x.4,3\n", "is not a number"),
    "half of the units": (b"time,voltage,current\n0,13.6 V,1\n1,13.5,2\n2,13.4,3\n", "some have none"),
    "nothing": (b"\n\n", "empty"),
    "two columns of volts": (
        b"time,voltage,current,voltage\n0,13.6,1,5.0\n1,13.5,2,5.0\n",
        "2 columns of volts.*--map volts=",
    ),
    "two channels of volts": (b"time,Ch 1 (V),Ch 2 (V),current\n0,13.6,5,1\n1,13.5,5,2\n", "--map volts="),
    "two columns of amps": (b"time,voltage,i1 (A),i2 (A)\n0,13.6,5,1\n1,13.5,5,2\n", "--map amps="),
    "hours or minutes": (b"time,voltage,current\n00:00,13.6,1\n00:01,13.5,2\n", "times=hours-minutes"),
    "days of a spreadsheet": (
        b"time,voltage,current\n46355.84375,13.6,1\n46355.84376157,13.5,2\n46355.84377315,13.4,3\n",
        "times=days or times=seconds",
    ),
    "parts of a day": (
        b"time,voltage,current\n0.84375,13.6,1\n0.84376157,13.5,2\n0.84377315,13.4,3\n",
        "times=days",
    ),
    "a unit beside that is another": (b"time,voltage (V),unit,current\n0,13.6,mV,1\n1,13.5,mV,2\n", "unit"),
}
