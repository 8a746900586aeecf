"""What a column of a log may hold, and which header words say so."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping, Sequence
from typing import NamedTuple

__all__ = ["QUANTITIES", "Quantity", "factor_of", "header_unit", "propose"]


class Quantity(NamedTuple):
    """A quantity of a log: word, unit, what is plausible, units with their factor to that unit, and how a header says it."""

    word: str
    unit: str
    low: float
    high: float
    units: Mapping[str, float]
    says: Sequence[Sequence[str]]
    """each a set of ideas that must all be in the header"""
    not_with: Sequence[str] = ()


VOLTS = {"v": 1.0, "mv": 0.001, "volt": 1.0, "volts": 1.0, "vdc": 1.0, "vac": 1.0}
AMPS = {"a": 1.0, "ma": 0.001, "amp": 1.0, "amps": 1.0, "ampere": 1.0, "adc": 1.0}
WATTS = {"w": 1.0, "kw": 1000.0, "watt": 1.0, "watts": 1.0}
DEGREES = {"c": 1.0, "degc": 1.0, "celsius": 1.0}
PERCENT = {"%": 0.01, "percent": 0.01, "pct": 0.01, "prozent": 0.01}
ELSEWHERE = ("sun", "ac", "grid", "generator", "cell", "asked", "limit", "load", "shunt", "output")

QUANTITIES: dict[str, Quantity] = {
    "volts": Quantity("Bank volts", "V", 1, 1500, VOLTS, (("bank", "voltage"), ("voltage",)), (*ELSEWHERE, "current", "power")),
    "amps": Quantity(
        "Into the bank", "A", -5000, 5000, AMPS, (("bank", "current"), ("current",)), (*ELSEWHERE, "voltage", "power")
    ),
    "soc": Quantity("State of charge", "", 0, 1.1, {**PERCENT, "": 1.0}, (("soc",),), ("limit", "health")),
    "temp_c": Quantity(
        "Bank temperature", "°C", -60, 120, DEGREES, (("bank", "temperature"), ("temperature",)), ("ambient", "sun", "heatsink")
    ),
    "ambient_c": Quantity("Ambient temperature", "°C", -60, 90, DEGREES, (("ambient", "temperature"), ("ambient",)), ()),
    "pv_w": Quantity(
        "From the sun", "W", -500, 5e6, WATTS, (("sun", "power"), ("sun",)), ("current", "voltage", "energy", "temperature")
    ),
    "pv_a": Quantity("Sun charger's amps", "A", -50, 5000, AMPS, (("sun", "current"),), ("voltage", "power", "energy")),
    "ac_in_w": Quantity(
        "AC input", "W", -1e6, 5e6, WATTS, (("ac", "input", "power"), ("ac", "input")), ("current", "voltage", "energy")
    ),
    "ac_out_w": Quantity(
        "AC output",
        "W",
        -1e6,
        5e6,
        WATTS,
        (("ac", "output", "power"), ("ac", "output"), ("output", "power")),
        ("current", "voltage", "energy"),
    ),
    "load_w": Quantity("Loads", "W", -1e5, 5e6, WATTS, (("load", "power"), ("load",)), ("current", "voltage", "energy", "soc")),
    "grid_w": Quantity(
        "From the mains", "W", -5e6, 5e6, WATTS, (("grid", "power"), ("grid",)), ("current", "voltage", "energy", "frequency")
    ),
    "generator": Quantity(
        "Generator runs",
        "",
        0,
        1e9,
        {"": 1.0},
        (("generator", "state"), ("generator",)),
        ("frequency", "voltage", "current", "energy"),
    ),
    "generator_hz": Quantity("Generator's frequency", "Hz", 0, 100, {"hz": 1.0}, (("generator", "frequency"),), ()),
    "generator_v": Quantity("Generator's volts", "V", 0, 1000, VOLTS, (("generator", "voltage"),), ("frequency",)),
    "shunt_a": Quantity("Second current", "A", -5000, 5000, AMPS, (("shunt", "current"), ("shunt",)), ("voltage", "power")),
    "cell_max_v": Quantity(
        "Highest cell", "V", 0.5, 5, VOLTS, (("cell", "highest", "voltage"), ("cell", "highest")), ("temperature",)
    ),
    "cell_min_v": Quantity(
        "Lowest cell", "V", 0.5, 5, VOLTS, (("cell", "lowest", "voltage"), ("cell", "lowest")), ("temperature",)
    ),
    "asked_v": Quantity(
        "Asked charge volts", "V", 1, 1500, VOLTS, (("asked", "voltage"), ("limit", "in", "voltage")), ("current", "cell", "out")
    ),
    "limit_in_a": Quantity(
        "Charge limit", "A", 0, 5000, AMPS, (("limit", "in", "current"), ("limit", "in")), ("voltage", "out", "soc")
    ),
    "limit_out_a": Quantity(
        "Discharge limit", "A", 0, 5000, AMPS, (("limit", "out", "current"), ("limit", "out")), ("voltage", "soc")
    ),
    "forced": Quantity("Forced charge asked for", "", 0, 1, {"": 1.0}, (("forced",),), ("current", "voltage", "power", "energy")),
    "on_mains": Quantity("Loads on the mains", "", 0, 1, {"": 1.0}, (("onmains",),), ()),
}
"""Every quantity of a log; its own name as a header is always right."""

IDEAS: dict[str, str] = {
    "bank": r"bank|bat|batt|battery|batterie\w*|akku\w*|bateria\w*|batteria|accu|accumulat\w*|acumulador\w*|pack|storage|speicher\w*|dc",
    "voltage": r"v|u|volt|volts|voltage|spannung|tension|voltaje|tensione|voltaggio|\w*spannung",
    "current": r"a|i|amp|amps|ampere|current|strom|\w*strom|courant|intensite|corriente|intensidad|corrente",
    "power": r"w|p|kw|power|watt|watts|leistung|\w*leistung|puissance|potencia|potenza",
    "energy": r"kwh|wh|energy|energie|energia|yield|ertrag|counter|zahler\w*|total",
    "soc": r"soc|ladezustand|ladestand|charge level|level of charge|state of charge|etat de charge|estado de carga|stato di carica|charge pct|charge percent|fullstand",
    "health": r"soh|health|gesundheit|sante|salud|salute",
    "temperature": r"t|c|degc|celsius|temp|temps?|temperatur\w*|\w*temperatur|warmth",
    "ambient": r"ambient|ambiente|ambiant\w*|outside|outdoor|umgebung\w*|room|raum\w*|aussen\w*|air",
    "sun": r"pv|solar|sun|sonne|photovolta\w*|fotovolta\w*|soleil|solaire|panel|panels|panneau\w*|mppt|array",
    "ac": r"ac|ca|wechselstrom\w*",
    "input": r"in|input|eingang\w*|entree|entrada|ingresso",
    "output": r"out|output|ausgang\w*|sortie|salida|uscita|inverter|wechselrichter|onduleur|inversor",
    "load": r"load|loads|last|lasten|verbrauch\w*|consumption|consommation|consumo\w*|consumi|cargas|carichi|carico|house|haus|home|casa|maison|usage",
    "grid": r"grid|mains|netz\w*|reseau|red|rete|utility|shore|feed",
    "generator": r"gen|generator|genset|aggregat|groupe|generateur|grupo|generador|generatore|engine",
    "frequency": r"hz|freq|frequency|frequenz|frequence|frecuencia|frequenza",
    "state": r"state|status|on|running|runs|run|zustand|etat|estado|stato|active|aktiv",
    "shunt": r"shunt|clamp|monitor|messwiderstand|second|reference",
    "cell": r"cell|cells|zelle\w*|zell\w*|cellule\w*|celda\w*|cella|celle|element",
    "highest": r"max|high|highest|maximum|hoch\w*|max\w*|top|haut\w*|alta|massima",
    "lowest": r"min|low|lowest|minimum|niedrig\w*|tief\w*|bas\w*|baja|minima|bottom",
    "asked": r"asked|ask|target|requested|request|setpoint|set|soll\w*|consigne|consigna|demand\w*|wanted",
    "limit": r"limit|limits|grenze|\w*grenze|limite|max|allowed|\w*limit|begrenzung",
    "in": r"in|charge|charging|lade\w*|laden|recharge|carga|carica",
    "out": r"out|discharge|discharging|entlade\w*|entladen|decharge|descarga|scarica",
    "forced": r"forced?|zwangs\w*|forcee?|forzad[ao]|forzat[ao]|emergency charge|notladung",
    "onmains": r"on mains|on grid|transfer\w*|bypass|netzbetrieb|on ac|sur reseau|en red|su rete",
    "heatsink": r"heatsink|kuhlkorper|inverter|internal|inner|mos|device|gerat",
    "time": r"time|date|datetime|timestamp|zeit|datum|uhrzeit|zeitstempel|heure|horodatage|hora|fecha|ora|data|utc|clock|minute|when|stamp",
}
COMPILED = {name: re.compile(rf"(?<![a-z0-9])(?:{pattern})(?![a-z0-9])") for name, pattern in IDEAS.items()}
UNIT = re.compile(r"[\[(]\s*([^\])]{1,12}?)\s*[\])]|[_/ ,:](k?W|m?V|m?A|Hz|%|°\s?C|degC|°\s?F|degF|VDC|ADC|pct)\s*$", re.I)


def plain(header: str) -> str:
    """Return a header in small letters without accents, words apart.

    >>> plain("Batteriespannung [V]"), plain("cellMaxV"), plain("SOC_pct")
    ('batteriespannung [v]', 'cell max v', 'soc pct')
    """
    apart = re.sub(r"(?<=[a-z])(?=[A-Z])|[_\-./]+", " ", header)
    bare = "".join(c for c in unicodedata.normalize("NFKD", apart) if not unicodedata.combining(c))
    return " ".join(bare.lower().split())


def header_unit(header: str) -> str:
    """Return the unit that a header names, small and without blanks; empty where none.

    >>> header_unit("Battery voltage (mV)"), header_unit("pv_w"), header_unit("SOC [%]"), header_unit("Netz")
    ('mv', 'w', '%', '')
    """
    found = [a or b for a, b in UNIT.findall(header)]
    return found[-1].lower().replace("°", "deg").replace(" ", "").strip() if found else ""


def ideas(header: str) -> set[str]:
    """Return the ideas of a header's words."""
    text = re.sub(r"[\[(].*?[\])]", " ", plain(header))
    return {name for name, pattern in COMPILED.items() if pattern.search(text)}


def factor_of(quantity: str, unit: str) -> float | None:
    """Return what a figure in a unit is multiplied with; None where the unit is another quantity's."""
    known = QUANTITIES[quantity].units
    if not unit:
        return 1.0
    if unit in ("degf", "f", "fahrenheit"):
        return 1.0 if quantity.endswith("_c") else None
    return known.get(unit)


def score(header: str, quantity: str) -> float:
    """Return how well a header says a quantity: 10 its own name, else the ideas it holds; 0 where it says another."""
    if plain(header).replace(" ", "_") == quantity:
        return 10.0
    made = QUANTITIES[quantity]
    unit = header_unit(header)
    has = ideas(header)
    if unit and factor_of(quantity, unit) is None:
        return 0.0
    for idea, units in (("voltage", VOLTS), ("current", AMPS), ("power", WATTS), ("temperature", DEGREES)):
        if unit in units:
            has |= {idea}
            has -= {"voltage", "current", "power", "temperature"} - {idea}
    if unit in PERCENT and "in" in has and "limit" not in has:
        has |= {"soc"}  # "Charge (%)"
    if "cell" not in made.says[0]:
        has -= {"highest", "lowest"} - ({"limit"} if "limit" in made.says[0] else set())
    best = 0.0
    for needed in made.says:
        if not set(needed) <= has:
            continue
        wrong = [n for n in made.not_with if n in has and n not in needed]
        if wrong:
            continue
        best = max(best, len(needed) + (0.6 if unit else 0.0) - 0.05 * len(has))
    return best


def propose(headers: Sequence[str], usual: Mapping[str, tuple[float, float]]) -> dict[str, str | None]:
    """Return the quantity of each column by its words, its unit and what its figures are like; each quantity once.

    ``usual`` holds each column's 5th and 95th part of a hundred, in the column's own unit.
    """
    rated: list[tuple[float, int, str]] = []
    for at, header in enumerate(headers):
        if header not in usual:
            continue
        low, high = usual[header]
        unit = header_unit(header)
        for name, made in QUANTITIES.items():
            points = score(header, name)
            if points <= 0:
                continue
            factor = factor_of(name, unit) or 1.0
            if not (made.low <= low * factor and high * factor <= made.high) and not (name == "soc" and 0 <= low <= high <= 110):
                continue
            if name == "generator" and points < 10 and high > 1 and "state" in ideas(header):
                continue
            rated.append((points, -at, name))
    out: dict[str, str | None] = dict.fromkeys(headers)
    taken: set[str] = set()
    for _, at, name in sorted(rated, reverse=True):
        header = headers[-at]
        if out[header] is None and name not in taken:
            out[header] = name
            taken.add(name)
    return out
