//! `pikebell scout` against a program that knows the exported files alone: every candidate of two
//! expirations, its price, its figures under both laws.

use std::collections::HashMap;
use std::path::Path;
use std::process::{Command, Output};

use serde_json::{Value, json};

fn run(args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_pikebell"))
        .args(args)
        .output()
        .unwrap()
}

type Row = HashMap<String, String>;

fn table(out: &[u8]) -> Vec<Row> {
    let mut reader = csv::Reader::from_reader(out);
    reader.deserialize().collect::<Result<_, _>>().unwrap()
}

fn export(what: &str, more: &[&str]) -> Vec<Row> {
    let args = ["export", what, "--symbol", "WXMR"];
    let all: Vec<&str> = args.iter().chain(more).copied().collect();
    let out = run(&all);
    assert!(
        out.status.success(),
        "{}",
        String::from_utf8_lossy(&out.stderr)
    );
    table(&out.stdout)
}

fn expectation(folder: &Path, value: &Value) -> String {
    let path = folder.join("expectation.json");
    std::fs::write(&path, value.to_string()).unwrap();
    path.to_str().unwrap().to_owned()
}

/// Φ, by the complementary error function.
fn phi(x: f64) -> f64 {
    0.5 * libm::erfc(-x / std::f64::consts::SQRT_2)
}

fn number(row: &Row, name: &str) -> f64 {
    let text = &row[name];
    text.parse().unwrap_or_else(|_| panic!("{name} {text:?}"))
}

/// Hundredths of a cent, exactly.
fn exact(text: &str) -> i64 {
    if text.is_empty() {
        return 0;
    }
    let (whole, part) = text.split_once('.').unwrap_or((text, ""));
    let part: i64 = format!("{part:0<4}").parse().unwrap();
    let size = whole.trim_start_matches('-').parse::<i64>().unwrap() * 10_000 + part;
    if text.starts_with('-') { -size } else { size }
}

/// A leg as it is written.
struct Leg<'a> {
    quantity: i64,
    row: &'a Row,
}

/// The law of the files: mean and variance of an expiration, and one region.
struct Law {
    forward: f64,
    deviation: f64,
    region: (f64, f64),
    factors: (f64, f64),
}

impl Law {
    fn below(&self, s: f64) -> f64 {
        if s <= 0.0 {
            return 0.0;
        }
        phi((s / self.forward).ln() / self.deviation + self.deviation / 2.0)
    }
}

#[test]
fn every_candidate_of_two_expirations() {
    let folder = tempfile::tempdir().unwrap();
    let (low, high, sure) = (2_880.0, 2_990.0, 0.65);
    let wanted = json!({
        "by": "2031-03-28", "regions": [{ "low": low, "high": high, "sure": sure }],
        "price": 0.25, "fees": true, "law": "flat",
    });
    let file = expectation(folder.path(), &wanted);
    let args = [
        "scout",
        "--symbol",
        "WXMR",
        "--expectation",
        &file,
        "--families",
        "vertical,condor",
        "--width-max",
        "10",
        "--reach",
        "0.28",
        "--rank",
        "expected",
        "--all",
    ];
    let out = run(&args);
    assert!(
        out.status.success(),
        "{}",
        String::from_utf8_lossy(&out.stderr)
    );
    let rows = table(&out.stdout);
    let expirations = export("expirations", &[]);
    let chain = export("chain", &[]);
    let facts: HashMap<String, String> = export("instrument", &[])
        .into_iter()
        .map(|r| (r["name"].clone(), r["value"].clone()))
        .collect();
    let fee: f64 = facts["fee_option"].parse().unwrap();
    let by: &Row = expirations
        .iter()
        .rfind(|r| r["expiry"] == "2031-03-28")
        .unwrap();
    let after: &Row = expirations.iter().find(|r| r["ends"] > by["ends"]).unwrap();
    let years = number(by, "t_years");
    let mut law = Law {
        forward: number(by, "forward"),
        deviation: number(by, "atm_vol") * years.sqrt(),
        region: (low, high),
        factors: (1.0, 1.0),
    };
    let m = law.below(high) - law.below(low);
    law.factors = (sure / m, (1.0 - sure) / (1.0 - m));
    // Even steps of the normal variable; the mass of each lies at its middle.
    let n = 4_800;
    let step = 14.0 / f64::from(n);
    let points: Vec<(f64, f64, f64)> = (0..n)
        .map(|i| {
            let z = -7.0 + step * (f64::from(i) + 0.5);
            let s = law.forward * (law.deviation * (z - law.deviation / 2.0)).exp();
            let mass = phi(z + step / 2.0) - phi(z - step / 2.0);
            let inside = law.region.0 <= s && s < law.region.1;
            let factor = if inside { law.factors.0 } else { law.factors.1 };
            (s, mass, mass * factor)
        })
        .collect();
    let by_name: HashMap<&str, &Row> = chain.iter().map(|r| (r["contract"].as_str(), r)).collect();
    let mut seen: HashMap<(String, String), usize> = HashMap::new();
    for e in [by, after] {
        let ends_then = e["ends"] == by["ends"];
        let left = number(e, "t_years") - years;
        let root = format!("{:<6}", e["root"]);
        let of_it = |text: &str| {
            text.split("; ").all(|leg| {
                let contract = leg.split_once(' ').unwrap().1;
                contract.starts_with(&root) && by_name[contract]["expiry"] == e["expiry"]
            })
        };
        // How many there are: listed strikes within the reach, by nested loops.
        let far = 0.28 * number(e, "atm_vol") * number(e, "t_years").sqrt();
        let strikes = |kind: &str| -> Vec<f64> {
            let mut all: Vec<f64> = chain
                .iter()
                .filter(|r| {
                    r["contract"].starts_with(&root)
                        && r["expiry"] == e["expiry"]
                        && r["kind"] == kind
                })
                .filter(|r| ends_then || !r["iv"].is_empty())
                .map(|r| number(r, "strike"))
                .filter(|k| (k / number(e, "forward")).ln().abs() <= far)
                .collect();
            all.sort_by(f64::total_cmp);
            all
        };
        let (calls, puts) = (strikes("call"), strikes("put"));
        let near = |a: f64, b: f64| b > a && b - a <= 10.0;
        let pairs = |all: &[f64]| -> Vec<(f64, f64)> {
            let of = |a: &f64| {
                all.iter()
                    .filter(|b| near(*a, **b))
                    .map(|b| (*a, *b))
                    .collect::<Vec<_>>()
            };
            all.iter().flat_map(of).collect()
        };
        let condors = |lower: &[f64], upper: &[f64]| -> usize {
            let even = |a: &(f64, f64), b: &(f64, f64)| b.0 > a.1 && a.1 - a.0 == b.1 - b.0;
            let uppers = pairs(upper);
            pairs(lower)
                .iter()
                .map(|a| uppers.iter().filter(|b| even(a, b)).count())
                .sum()
        };
        let own: Vec<&Row> = rows.iter().filter(|r| of_it(&r["legs"])).collect();
        let many = |family: &str| own.iter().filter(|r| r["family"] == family).count();
        assert_eq!(
            many("vertical"),
            2 * (pairs(&calls).len() + pairs(&puts).len())
        );
        let all = condors(&calls, &calls) + condors(&puts, &puts) + condors(&puts, &calls);
        assert_eq!(many("condor"), 2 * all);
        assert!(all > 20, "{all}");
        for row in own {
            *seen
                .entry((row["family"].clone(), e["expiry"].clone()))
                .or_default() += 1;
            let legs: Vec<Leg<'_>> = row["legs"]
                .split("; ")
                .map(|leg| {
                    let (quantity, contract) = leg.split_once(' ').unwrap();
                    Leg {
                        quantity: quantity.parse().unwrap(),
                        row: by_name[contract],
                    }
                })
                .collect();
            // The price: a quarter of the way from the middle to the far side, up to the next cent.
            let (mut middle, mut side) = (0, 0);
            for l in &legs {
                let (bid, ask) = (exact(&l.row["bid"]), exact(&l.row["ask"]));
                middle += l.quantity * (bid + ask);
                side += l.quantity * if l.quantity > 0 { ask } else { bid };
            }
            // In eighths of a hundredth of a cent: 4·(2M) + (2X − 2M).
            let eighths = 4 * middle + (2 * side - middle);
            let cents = eighths.div_euclid(800) + i64::from(eighths.rem_euclid(800) > 0);
            assert_eq!(exact(&row["net"]), cents * 100 * 100, "{row:?}");
            let contracts: i64 = legs.iter().map(|l| l.quantity.abs()).sum();
            let cost = cents as f64 + fee * contracts as f64;
            let worth = |l: &Leg<'_>, s: f64| {
                let (k, call) = (number(l.row, "strike"), l.row["kind"] == "call");
                if ends_then {
                    return (if call { s - k } else { k - s }).max(0.0);
                }
                // Black and Scholes with the rate, yield and volatility of the files.
                let (r, q) = (number(e, "rate"), number(e, "yield"));
                let v = number(l.row, "iv") * left.sqrt();
                let (f, d) = (s * ((r - q) * left).exp(), (-r * left).exp());
                let d1 = (f / k).ln() / v + v / 2.0;
                let value = d * (f * phi(d1) - k * phi(d1 - v));
                if call { value } else { value - d * (f - k) }
            };
            // A coarser sum is exact enough for half of the longer ones.
            let every = if ends_then { 1 } else { 3 };
            let mut each: Vec<(f64, f64, f64)> = Vec::with_capacity(points.len() / every);
            for some in points.chunks(every) {
                let s = some[every / 2].0;
                let profit: f64 = legs
                    .iter()
                    .map(|l| 100.0 * l.quantity as f64 * worth(l, s))
                    .sum();
                let mass = some.iter().fold((0.0, 0.0), |a, p| (a.0 + p.1, a.1 + p.2));
                each.push((profit - cost, mass.0, mass.1));
            }
            let size = number(row, "max_loss").abs().max(10.0);
            let told = |name: &str| number(row, name);
            let (mut market, mut own, mut up, mut own_up) = (0.0, 0.0, 0.0, 0.0);
            for (p, m, o) in &each {
                market += p * m;
                own += p * o;
                if *p > 0.0 {
                    up += m;
                    own_up += o;
                }
            }
            let width = 1_000.0_f64.max(size);
            assert!(
                (told("market_expected") - market).abs() < 1e-4 * width,
                "{row:?} {market}"
            );
            // The region's edges fall inside steps.
            assert!(
                (told("own_expected") - own).abs() < 2e-3 * width,
                "{row:?} {own}"
            );
            assert!((told("market_chance") - up).abs() < 4e-3, "{row:?} {up}");
            assert!(
                (told("own_chance") - own_up).abs() < 8e-3,
                "{row:?} {own_up}"
            );
            let most = each.iter().map(|p| p.0).fold(f64::NEG_INFINITY, f64::max);
            let least = each.iter().map(|p| p.0).fold(f64::INFINITY, f64::min);
            assert!(told("max_profit") > most - 1e-3 * width, "{row:?} {most}");
            assert!(-told("max_loss") < least + 1e-3 * width, "{row:?} {least}");
            each.sort_by(|a, b| a.0.total_cmp(&b.0));
            let (mut rest, mut worst) = (0.05, 0.0);
            for (p, _, o) in &each {
                let take = o.min(rest);
                worst += p * take / 0.05;
                rest -= take;
            }
            assert!(
                (told("own_worst5") - worst).abs() < 6e-3 * width,
                "{row:?} {worst}"
            );
            // Verticals and condors are covered: their width less what they bring, or what they cost.
            if row["family"] == "vertical" {
                let net = exact(&row["net"]) as f64 / 1e4;
                let strikes: Vec<f64> = legs.iter().map(|l| number(l.row, "strike")).collect();
                let credit = (legs[0].quantity > 0) != (legs[0].row["kind"] == "call");
                let margin = if credit {
                    100.0 * (strikes[1] - strikes[0])
                } else {
                    0.0
                };
                assert!((told("capital") - margin - net).abs() < 1e-9, "{row:?}");
            }
        }
    }
    assert_eq!(seen.len(), 4);
    // By its rank, the highest first.
    let ranks: Vec<f64> = rows.iter().map(|r| number(r, "own_expected")).collect();
    assert!(ranks.windows(2).all(|w| w[0] >= w[1]));
}

/// What makes no sense is refused by name, with status 2 and nothing written.
#[test]
fn expectations_that_make_no_law_are_refused() {
    let folder = tempfile::tempdir().unwrap();
    let with = |value: Value, more: &[&str]| {
        let file = expectation(folder.path(), &value);
        let args = ["scout", "--symbol", "WXMR", "--expectation", &file];
        let all: Vec<&str> = args.iter().chain(more).copied().collect();
        let out = run(&all);
        assert_eq!(out.status.code(), Some(2));
        assert!(out.stdout.is_empty());
        String::from_utf8_lossy(&out.stderr).into_owned()
    };
    let good = ["--families", "vertical"];
    let regions = |r: Value| json!({ "by": "2031-04-18", "regions": r });
    let said = with(
        regions(
            json!([{ "low": 1, "high": 9, "sure": 0.1 }, { "low": 8, "high": null, "sure": 0.1 }]),
        ),
        &good,
    );
    assert!(said.contains("overlap"), "{said}");
    let said = with(
        regions(json!([{ "low": 9, "high": 1, "sure": 0.1 }])),
        &good,
    );
    assert!(said.contains("low has to be a price below high"), "{said}");
    let said = with(json!({ "by": "2031-03-10" }), &good);
    assert!(said.contains("behind"), "{said}");
    let said = with(json!({ "by": "2031-04-18", "price": 1.2 }), &good);
    assert!(said.contains("price 1.2"), "{said}");
    let said = with(json!({ "by": "2031-04-18" }), &["--families", "verticals"]);
    assert!(said.contains("known are single, vertical"), "{said}");
}
