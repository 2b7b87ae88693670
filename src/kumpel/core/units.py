"""Units of the trade: what converts into what, and a clear refusal of what does not."""

from __future__ import annotations

from kumpel.core.recording import Channel, Floats, Recording

_SAME: dict[str, tuple[str, ...]] = {
    "vol %": ("vol%", "%vol", "% vol", "vol-%", "%v/v"),
    "% LEL": ("%lel", "lel%", "% ueg", "%ueg"),
    "ppm": ("ppm", "ppmv", "ml/m3", "umol/mol"),
    "mg/m3": ("mg/m3", "mg/m^3", "mg/m³"),
    "mmHg": ("mmhg", "mm hg", "mm[hg]"),
    "bpm": ("bpm", "/min", "1/min", "beats/min", "min-1", "spm", "strokes/min", "steps/min"),
    "%": ("%", "percent", "pct", "% spo2", "% rh", "%rh"),
    "dB(A)": ("db(a)", "dba", "db a", "db (a)"),
    "dB(C)": ("db(c)", "dbc", "db c", "db (c)"),
    "dB(Z)": ("db(z)", "dbz", "db z", "db (z)", "db(lin)"),
    "dB": ("db", "decibel"),
    "uV": ("uv", "µv", "μv", "microvolt"),
    "mV": ("mv", "millivolt"),
    "mm": ("mm", "millimetre"),
    "m/s": ("m/s", "mps", "m s-1"),
    "m": ("m", "metre", "meter"),
    "deg": ("deg", "°", "degree", "degrees"),
    "g": ("g", "gee", "g0"),
    "rpm": ("rpm", "r/min", "u/min"),
    "°C": ("°c", "degc", "deg c", "celsius"),
    "flag": ("flag", "", "bool", "1"),
    "counts": ("counts", "count", "counts/min"),
    "": ("", "1", "ratio", "lambda"),
}

# (unit of the file, unit wanted): factor and offset, wanted = file x factor + offset. SI definitions.
_INTO: dict[tuple[str, str], tuple[float, float]] = {
    ("ppb", "ppm"): (1e-3, 0.0),
    ("%", "vol %"): (1.0, 0.0),
    ("ppm", "vol %"): (1e-4, 0.0),
    ("vol %", "ppm"): (1e4, 0.0),
    ("%", "% LEL"): (1.0, 0.0),
    ("ug/m3", "mg/m3"): (1e-3, 0.0),
    ("µg/m3", "mg/m3"): (1e-3, 0.0),
    ("g/m3", "mg/m3"): (1e3, 0.0),
    ("kpa", "mmHg"): (7.500617, 0.0),
    ("hz", "bpm"): (60.0, 0.0),
    ("mV", "uV"): (1e3, 0.0),
    ("v", "uV"): (1e6, 0.0),
    ("uV", "mV"): (1e-3, 0.0),
    ("v", "mV"): (1e3, 0.0),
    ("cm", "mm"): (10.0, 0.0),
    ("in", "mm"): (25.4, 0.0),
    ("inch", "mm"): (25.4, 0.0),
    ("km/h", "m/s"): (1 / 3.6, 0.0),
    ("kph", "m/s"): (1 / 3.6, 0.0),
    ("kmh", "m/s"): (1 / 3.6, 0.0),
    ("mph", "m/s"): (0.44704, 0.0),
    ("kn", "m/s"): (1852 / 3600, 0.0),
    ("knots", "m/s"): (1852 / 3600, 0.0),
    ("km", "m"): (1e3, 0.0),
    ("ft", "m"): (0.3048, 0.0),
    ("rad", "deg"): (57.29577951308232, 0.0),
    ("m/s2", "g"): (1 / 9.80665, 0.0),
    ("m/s²", "g"): (1 / 9.80665, 0.0),
    ("°f", "°C"): (5 / 9, -160 / 9),
    ("f", "°C"): (5 / 9, -160 / 9),
    ("k", "°C"): (1.0, -273.15),
    ("%", "flag"): (1.0, 0.0),
    # A level without its weighting is taken for the one that is asked for; another weighting is another quantity.
    ("dB", "dB(A)"): (1.0, 0.0),
    ("dB", "dB(C)"): (1.0, 0.0),
    ("dB", "dB(Z)"): (1.0, 0.0),
    ("rpm", "bpm"): (1.0, 0.0),
    ("counts/epoch", "counts"): (1.0, 0.0),
    ("cpm", "counts"): (1.0, 0.0),
}


class UnitError(ValueError):
    """A unit that does not convert into the one a figure needs."""


def standard(unit: str) -> str:
    """The spelling used here of a unit; one that is not known comes back lowered and stripped.

    >>> standard(' DB(A) ')
    'dB(A)'
    """
    whole = unit.strip().lower()
    plain = whole.strip("[]()")
    for name, spellings in _SAME.items():
        if {whole, plain} & {name.lower(), *spellings}:
            return name
    return plain


def converted(values: Floats, unit: str, wanted: str, what: str) -> Floats:
    """Values of `unit` in the unit `wanted`; the same array when nothing changes.

    Raises UnitError naming `what` when one cannot become the other.
    Source: factors by ISO 80000 and BIPM, SI Brochure, 9th edition.

    >>> converted(np.array([36.0]), "km/h", "m/s", "speed")
    array([10.])
    """
    have = standard(unit)
    if have == wanted:
        return values
    step = _step(have, standard(wanted)) or _step(unit.strip().lower(), standard(wanted))
    if step is None:
        raise UnitError(
            f"{what} is in “{unit}”, which cannot be turned into {wanted}: correct the unit, then try again"
        )
    factor, offset = step
    return values * factor + offset if offset else values * factor


def _step(have: str, wanted: str) -> tuple[float, float] | None:
    """Factor and offset from one unit into another: by the table, against it, or over a unit both turn into."""
    if have == wanted:
        return 1.0, 0.0
    if (have, wanted) in _INTO:
        return _INTO[have, wanted]
    if (wanted, have) in _INTO:
        factor, offset = _INTO[wanted, have]
        return 1 / factor, -offset / factor
    for (start, middle), (factor, offset) in _INTO.items():
        if start == have and (wanted, middle) in _INTO:
            other, shift = _INTO[wanted, middle]
            return factor / other, (offset - shift) / other
    return None


def values_in(recording: Recording, key: str, wanted: str) -> Floats | None:
    """Samples of a channel in the unit wanted, or None when the recorder has no such channel."""
    channel = recording.channels.get(key)
    return None if channel is None else channel_in(channel, wanted).values


def channel_in(channel: Channel, wanted: str) -> Channel:
    """A channel in the unit wanted. Raises UnitError naming the channel."""
    given = channel.values
    values = converted(given, channel.unit, wanted, f"channel “{channel.name}”")
    if values is given:
        return channel
    return Channel(channel.key, channel.name, wanted, channel.interval_s, values)
