"""Every figure of a whole run's certificate, from its readings and the certificate values of its references.

It shares no code with the product. Python 3, standard library. Run by hand: python3 compute.py
"""

import glob
import itertools
import json
import math
import os
from datetime import datetime
from decimal import ROUND_HALF_UP, Decimal

HERE = os.path.dirname(os.path.abspath(__file__))


def students_t(coverage, dof):
    """The two-sided quantile of Student's t: Simpson's rule for the distribution, bisection for its inverse."""
    scale = math.exp(math.lgamma((dof + 1) / 2) - math.lgamma(dof / 2)) / math.sqrt(dof * math.pi)

    def density(x):
        return scale * (1 + x * x / dof) ** (-(dof + 1) / 2)

    def inner(t, n=20000):
        h = t / n
        total = density(0) + density(t)
        for i in range(1, n):
            total += (4 if i % 2 else 2) * density(i * h)
        return 2 * total * h / 3

    low, high = 0.0, 200.0
    for _ in range(80):
        middle = (low + high) / 2
        if inner(middle) < coverage:
            low = middle
        else:
            high = middle
    return (low + high) / 2


def expanded(terms):
    """k and U for 95.45 % of terms (standard uncertainty in the unit of the result, degrees of freedom or None)."""
    variance = sum(u * u for u, _ in terms)
    slip = sum(u ** 4 / dof for u, dof in terms if dof)
    k = 2.0
    if slip > 0 and variance > 0:
        k = students_t(0.9545, max(1, math.floor(variance * variance / slip * (1 + 1e-9))))
    return k, k * math.sqrt(variance)


def water(t):
    """Density of water in kg/m3: Tanaka 2001, equation 1."""
    return 999.974950 * (1 - (t - 3.983035) ** 2 * (t + 301.797) / (522528.9 * (t + 69.34881)))


def air(room):
    """Density of moist air in kg/m3: OIML R 111-1, E.3-1."""
    t = room["temperature_c"]
    return (0.34848 * room["pressure_hpa"] - 0.009 * room["humidity_percent"] * math.exp(0.061 * t)) / (273.15 + t)


def ml_per_g(t, room):
    return 1000 * (1 - air(room) / 8000) / (water(t) - air(room))


def nearest_load(pieces, target):
    """The pieces of a kit that come nearest to a target; of two as near, the fewer pieces."""
    best = None
    for n in range(len(pieces) + 1):
        for some in itertools.combinations(pieces, n):
            off = abs(sum(p["value"] for p in some) - target)
            if best is None or off < best[0] - 1e-9:
                best = (off, some)
    return best[1]


def vapour(t):
    """Saturation pressure of water in hPa: Wagner and Pruss 1993."""
    th = 1 - (t + 273.15) / 647.096
    total = (-7.85951783 * th + 1.84408259 * th ** 1.5 - 11.7866497 * th ** 3 + 22.6807411 * th ** 3.5
             - 15.9618719 * th ** 4 + 1.80122502 * th ** 7.5)
    return 220640 * math.exp(647.096 / (t + 273.15) * total)


def restated(names, room):
    """What a volume stated at the first condition is multiplied by to state it at the second: ideal gas with water vapour."""
    def state(name):
        if name == "STPD":
            return 273.15, 1013.25
        return 310.15, room["pressure_hpa"] - vapour(37)  # BTPS

    (t1, p1), (t2, p2) = (state(n) for n in names)
    return p1 / p2 * t2 / t1


def limits(rule, level, plate):
    """Limits on the error at a level: (low, high), None on a side without one."""
    if "percent" in rule or "fixed" in rule:
        half = rule.get("fixed", 0) + rule.get("percent", 0) / 100 * abs(level)
        half += plate[rule["plus"]] if "plus" in rule else 0  # what a simulator allows for itself
        return -half, half
    if "widest" in rule:
        half = max(limits(r, level, plate)[1] for r in rule["widest"])
        return -half, half
    if "at_most" in rule:
        return None, rule["at_most"]
    if "at_least" in rule:
        return rule["at_least"], None
    if "range" in rule:
        return rule["range"][0] - level, rule["range"][1] - level
    e = plate["division"]  # class III in service, by the load in divisions
    n = level / e
    half = 2 * e * (0.5 if n <= 500 else 1.0 if n <= 2000 else 1.5)
    return -half, half


def printed(value, step, sign=False):
    text = str(Decimal(repr(value)).quantize(Decimal(repr(step)), rounding=ROUND_HALF_UP))
    if float(text) == 0:
        return str(Decimal(0).quantize(Decimal(repr(step))))
    text = text.replace("-", "\u2212")
    return "+" + text if sign and not text.startswith("\u2212") else text


def years(standard, run):
    """From the certificate's day to the moment it was taken into use in this run."""
    since = datetime.fromisoformat(standard["certified_on"] + "T00:00:00+00:00")
    return (datetime.fromisoformat(standard["bound_at"].replace("Z", "+00:00")) - since).total_seconds() / 3600 / 24 / 365.25


def lines(standard, quantity, run):
    return [v for v in standard["values"] if v["quantity"] == quantity]


def covering(standard, quantity, value, run):
    """The line of a certificate that covers a value; and by how much the value lies beyond the last line's end."""
    all_lines = lines(standard, quantity, run)
    for line in all_lines:
        low, high = line.get("from", line.get("value", 0)), line.get("to", line.get("value", 0))
        if low <= value <= high:
            return line
    return all_lines[0]


def terms_of(standard, line, run, times=1.0):
    """A certificate's value: its uncertainty, and what it may have drifted since, as often as it was used."""
    drift = line.get("drift_per_year", 0) * years(standard, run)
    return [(line["u"] / line["k"] * times, None), (drift * times / math.sqrt(3), None)]


def point(p, run):
    m = run["measures"][p["measure"]]
    step = m["step"]
    readings = p["readings"]
    mean = sum(readings) / len(readings)
    terms = []
    fine = step
    to_result = 1.0
    if m["how"] == "value":  # a certificate's value, or a value within its range; or the procedure's own with its u
        if "role" in p:
            standard = run["standards"][p["role"]]
            line = covering(standard, p["quantity"], p.get("at", 0), run)
            reference = line.get("value", p.get("at"))
            terms += terms_of(standard, line, run)
        else:
            reference = p["at"]
            terms.append((p["u"] / 2, None))
        indicated = mean
    elif m["how"] == "weights":
        standard = run["standards"][m["role"]]
        loaded = nearest_load(lines(standard, "mass", run), p["percent"] / 100 * run["plate"]["capacity"])
        reference = sum(w["value"] for w in loaded)
        terms.append((sum(w["u"] / w["k"] for w in loaded), None))
        drift = sum(w.get("drift_per_year", 0) for w in loaded) * years(standard, run)
        terms.append((drift / math.sqrt(3), None))
        indicated = mean
    elif m["how"] == "delivered":  # what a reference instrument reads of what the device was set to
        standard = run["standards"][p["role"]]
        reference = p["at"]
        terms += terms_of(standard, covering(standard, p["quantity"], p["at"], run), run)
        indicated = mean
    elif m["how"] == "setting":  # what the device was set to, against what a reference instrument reads
        standard = run["standards"][p["role"]]
        to_result = restated(m["conditions"], run["room"]) if "conditions" in m else 1.0
        reference = mean * to_result
        terms += terms_of(standard, covering(standard, p["quantity"], p["at"], run), run, to_result)
        indicated = p["at"]
    elif m["how"] == "measured":  # a value of the device that only the reference instrument shows
        standard = run["standards"][p["role"]]
        reference, indicated = 0, mean
        terms += terms_of(standard, covering(standard, p["quantity"], mean, run), run)
    elif m["how"] == "strokes":  # a bag filled by whole strokes of a syringe, whose error is the same in each
        standard = run["standards"][p["role"]]
        line = lines(standard, p["quantity"], run)[0]
        reference = p["strokes"] * line["value"]
        terms += terms_of(standard, line, run, p["strokes"])
        indicated = mean
    elif m["how"] == "dilution":  # several portions of a calibrator in one cuvette: each dilutes the mixture
        standard = run["standards"][p["role"]]
        line = lines(standard, p["quantity"], run)[0]
        r, v = p["reagent"], p["multiple"] * p["sample"]
        share = p["multiple"] * (r + p["sample"]) / (r + v)
        reference = line["value"] * share
        terms += terms_of(standard, line, run, share)
        pipette = covering(run["standards"][m["pipette"]], "volume", v, run)
        terms.append((pipette["u"] / pipette["k"] * reference / v * r / (r + v), None))
        indicated = mean
    elif m["how"] == "tone":  # dB SPL in a coupler, less the threshold, against the dial
        standard = run["standards"][p["role"]]
        reference = p["at"]
        terms += terms_of(standard, covering(standard, p["quantity"], p["at"], run), run)
        for beside in m["beside"]:
            terms += terms_of(run["standards"][beside], lines(run["standards"][beside], "level", run)[0], run)
        terms.append((m["seating"] / math.sqrt(3), None))
        checked = next(q for q in run["points"] if q["measure"] == "reference")
        found = abs(sum(checked["readings"]) / len(checked["readings"]) - lines(run["standards"]["calibrator"], "level", run)[0]["value"])
        terms.append((found / math.sqrt(3), None))
        indicated = mean - m["thresholds"][str(p["hertz"])]
    elif m["how"] == "step":  # a step of an attenuator, from the level that was read before
        standard = run["standards"][p["role"]]
        line = covering(standard, p["quantity"], p["at"], run)
        terms.append((line["u"] / line["k"] / 4, None))
        reference = indicated = mean
        for q in run["points"]:
            if q["measure"] == p["measure"] and q["point"] == p.get("after"):
                reference = sum(q["readings"]) / len(q["readings"]) + p["at"] - q["at"]
    else:  # a flow weighed onto a balance: readings in g/h, what was delivered is held against what is set
        standard = run["standards"][m["role"]]
        line = lines(standard, "mass", run)[0]
        hours = p["minutes"] / 60
        evaporated = run["plate"]["evaporation"]
        per = ml_per_g(run["plate"]["water_temperature"], run["room"])
        indicated = (mean + evaporated) * per
        reference = p["at"]
        to_result = per
        terms.append((line["u"] / line["k"] * line["g"] * math.sqrt(2) / hours * per, None))
        if "drop_g" in p:
            terms.append((p["drop_g"] / hours / math.sqrt(6) * per, None))
        terms.append((evaporated / 2 / math.sqrt(3) * per, None))
        other = ml_per_g(run["plate"]["water_temperature"] + 1, run["room"])
        terms.append((p["at"] * abs(other - per) / per / math.sqrt(3), None))
    terms.append((step / 2 / math.sqrt(3) * to_result, None))
    if len(readings) > 1:
        s = math.sqrt(sum((r - mean) ** 2 for r in readings) / (len(readings) - 1))
        terms.append((s / math.sqrt(len(readings)) * to_result, len(readings) - 1))
    k, u = expanded([t for t in terms if t[0] > 0])
    base = p["at"] if m["how"] == "flow" else reference
    low, high = limits(m["limit"], base, run["plate"])
    if "low" in m and p["at"] <= m["low"]["up_to"]:
        low, high = (side * m["low"]["percent"] / 100 * base for side in (-1, 1))
    error = indicated - reference
    sides = [s for s in (None if low is None else -low, high) if s is not None]
    width = sum(sides) / len(sides)
    outside = max([error - high] if high is not None else [], default=-math.inf)
    if low is not None:
        outside = max(outside, low - error)
    zone = "inside" if outside <= -u else "inside_doubtful" if outside <= 0 else "outside_doubtful" if outside < u else "outside"
    digit = step / 10
    window = m["how"] == "measured" or "range" in m["limit"] or reference == 0 and "at_most" in m["limit"]
    whole = m["how"] not in ("flow", "delivered", "tone") and abs(indicated / step - round(indicated / step)) < 1e-6
    shown = float(Decimal(repr(indicated)).quantize(Decimal(repr(step if whole else digit)), rounding=ROUND_HALF_UP))
    rounded = float(Decimal(repr(reference)).quantize(Decimal(repr(digit)), rounding=ROUND_HALF_UP))
    row = {"shown": printed(indicated, step if whole else digit), "u": printed(u, digit)}
    if not window:
        row["reference"] = printed(reference, digit)
        row["error"] = printed(round(shown - rounded, 12), digit, True)
    return {"measure": p["measure"], "point": p["point"], "reference": reference, "indicated": indicated, "error": error,
            "low": low, "high": high, "u": u, "k": k, "tur": width / u, "zone": zone, "row": row, "counts": not m.get("about")}


def line(points):
    """The straight line of shown on delivered: dead space, gain, and whether the gain differs from one (t test, 5 %)."""
    n = len(points)
    x, y = sum(p["reference"] for p in points) / n, sum(p["indicated"] for p in points) / n
    sxx = sum((p["reference"] - x) ** 2 for p in points)
    gain = sum((p["reference"] - x) * (p["indicated"] - y) for p in points) / sxx
    dead = y - gain * x
    left = sum((p["indicated"] - dead - gain * p["reference"]) ** 2 for p in points)
    u = math.sqrt(left / (n - 2) / sxx)
    return dead, gain, abs(gain - 1) > students_t(0.95, n - 2) * u


def main():
    for given in sorted(glob.glob(os.path.join(HERE, "*.given.json"))):
        with open(given, encoding="utf-8") as f:
            run = json.load(f)
        points = [point(p, run) for p in run["points"]]
        out = [p for p in points if p.pop("counts") and p["zone"].startswith("outside")]
        dead, gain, differs = line(points) if "gain_percent" in run else (0, 1, False)
        if differs and abs(gain - 1) * 100 > run["gain_percent"]:
            out.append("the meter")
        expect = {"points": points, "outside": len(out),
                  "result": "does not conform" if out else "conforms"}
        if "gain_percent" in run:
            expect["dead_space"], expect["gain"] = dead, gain
        with open(given.replace(".given.", ".expect."), "w", encoding="utf-8") as f:
            json.dump(expect, f, indent=1, ensure_ascii=False)
            f.write("\n")


if __name__ == "__main__":
    main()
