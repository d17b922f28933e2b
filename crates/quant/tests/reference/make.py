#!/usr/bin/env python3
"""Writes the reference values beside this file with QuantLib (pip install QuantLib; made with 1.44).

american.csv   American options, continuous yield: price by the fixed-point engine with tanh-sinh
               quadrature, resolved far beyond the accuracy that is checked (two resolutions; rows where they
               differ by more than 2e-11 of the strike are left out and counted).
dividends.csv  American and European options with cash dividends, spot model: finite differences at two
               resolutions and their extrapolation, with the difference as the error of the row.
touch.csv      Binary barrier probabilities (no discounting): analytic engines.

The tests read the files; the library is not needed to run them.
"""
import math, pathlib, random
import QuantLib as ql

HERE = pathlib.Path(__file__).parent
TODAY = ql.Date(15, 5, 2025)
ql.Settings.instance().evaluationDate = TODAY
DC = ql.Actual365Fixed()

def process(s, r, q, v):
    flat = lambda x: ql.YieldTermStructureHandle(ql.FlatForward(TODAY, x, DC))
    vol = ql.BlackVolTermStructureHandle(ql.BlackConstantVol(TODAY, ql.NullCalendar(), v, DC))
    return ql.BlackScholesMertonProcess(ql.QuoteHandle(ql.SimpleQuote(s)), flat(q), flat(r), vol)

def option(kind, k, days, american):
    payoff = ql.PlainVanillaPayoff(ql.Option.Call if kind == "call" else ql.Option.Put, k)
    end = TODAY + days
    return ql.VanillaOption(payoff, ql.AmericanExercise(TODAY, end) if american else ql.EuropeanExercise(end))

def american():
    rng = random.Random(1)
    left_out, rows = 0, []
    while len(rows) < 400:
        kind = rng.choice(["call", "put"])
        k = 100.0
        s = k * math.exp(rng.uniform(-0.4, 0.4))
        days = rng.choice([1, 3, 7, 14, 30, 45, 60, 90, 180, 365, 540, 730, 1095])
        r = rng.choice([0.0, rng.uniform(0.001, 0.10)])
        q = rng.choice([0.0, r, rng.uniform(0.0, 0.10)])
        v = rng.uniform(0.08, 0.9)
        p = process(s, r, q, v)
        values = []
        for m, n in ((16, 40), (24, 64)):
            o = option(kind, k, days, True)
            o.setPricingEngine(ql.QdFpAmericanEngine(p, ql.QdFpTanhSinhIterationScheme(m, n, 1e-13)))
            values.append(o.NPV())
        if abs(values[0] - values[1]) > 2e-9:
            left_out += 1
            continue
        rows.append((kind, s, k, days, r, q, v, values[1]))
    with open(HERE / "american.csv", "w", newline="") as f:
        f.write("kind,spot,strike,days,rate,yield,vol,price\r\n")
        for row in rows:
            f.write(",".join(x if isinstance(x, str) else repr(x) for x in row) + "\r\n")
    print("american:", len(rows), "rows,", left_out, "left out")

def dividends():
    rng = random.Random(2)
    rows = []
    for _ in range(60):
        kind, american = rng.choice(["call", "put"]), rng.random() < 0.8
        s, k = 100.0, round(100 * math.exp(rng.uniform(-0.25, 0.25)), 2)
        days = rng.choice([20, 45, 90, 180, 365, 730])
        r, v = rng.uniform(0.0, 0.07), rng.uniform(0.12, 0.6)
        count = rng.randint(1, min(8, max(1, days // 20)))
        at = sorted(rng.sample(range(2, days), count))
        amounts = [round(rng.uniform(0.2, 2.0), 2) for _ in at]
        p = process(s, r, 0.0, v)
        values = []
        for t, x in ((400, 800), (800, 1600)):
            o = option(kind, k, days, american)
            schedule = ql.DividendVector([TODAY + d for d in at], amounts)
            o.setPricingEngine(ql.FdBlackScholesVanillaEngine(p, schedule, t, x))
            values.append(o.NPV())
        rows.append((kind, "american" if american else "european", s, k, days, r, v,
                     ";".join(f"{d}:{a!r}" for d, a in zip(at, amounts)), values[1], abs(values[1] - values[0])))
    with open(HERE / "dividends.csv", "w", newline="") as f:
        f.write("kind,style,spot,strike,days,rate,vol,dividends,price,difference\r\n")
        for row in rows:
            f.write(",".join(x if isinstance(x, str) else repr(x) for x in row) + "\r\n")
    print("dividends:", len(rows), "rows, largest difference", max(r[-1] for r in rows))

def touch():
    rng = random.Random(3)
    rows = []
    for _ in range(60):
        s, days, r, q, v = 100.0, rng.choice([5, 20, 45, 90, 365]), rng.uniform(0, 0.08), rng.uniform(0, 0.05), rng.uniform(0.1, 0.6)
        width = v * math.sqrt(days / 365)
        low, high = s * math.exp(-width * rng.uniform(0.2, 2.0)), s * math.exp(width * rng.uniform(0.2, 2.0))
        t = days / 365
        p = process(s, r, q, v)
        grown = math.exp(r * t)
        one = lambda kind, barrier: grown * binary(p, kind, barrier, days)
        o = ql.DoubleBarrierOption(ql.DoubleBarrier.KnockOut, low, high, 0.0, ql.CashOrNothingPayoff(ql.Option.Call, 0.0, 1.0), ql.EuropeanExercise(TODAY + days))
        o.setPricingEngine(ql.AnalyticDoubleBarrierBinaryEngine(p))
        rows.append((s, low, high, days, v, r, q, one("put", low), one("call", high), grown * o.NPV()))
    with open(HERE / "touch.csv", "w", newline="") as f:
        f.write("underlying,low,high,days,vol,rate,yield,touch_low,touch_high,touch_neither\r\n")
        for row in rows:
            f.write(",".join(repr(x) for x in row) + "\r\n")
    print("touch:", len(rows), "rows")

def binary(p, kind, barrier, days):
    """Chance of touching, discounted: cash of one paid at expiry if the barrier is hit."""
    payoff = ql.CashOrNothingPayoff(ql.Option.Call if kind == "call" else ql.Option.Put, barrier, 1.0)
    o = ql.VanillaOption(payoff, ql.AmericanExercise(TODAY, TODAY + days, True))
    o.setPricingEngine(ql.AnalyticDigitalAmericanEngine(p))
    return o.NPV()

import sys
if "quick" not in sys.argv: american()
dividends()
touch()
