//! `pikebell rehearse` against a program of its own that knows nothing but exported files: three drills,
//! every column of every cycle to the cent, every profit of every look.
//!
//! It follows the text of the README: whole numbers of 1e-8 for prices, ten thousandths for money.

use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::process::{Command, Output};

use toml::{Table, Value};

type Row = HashMap<String, String>;

fn run(args: &[&str]) -> Output {
    let out = Command::new(env!("CARGO_BIN_EXE_pikebell"))
        .args(args)
        .output()
        .unwrap();
    let said = String::from_utf8_lossy(&out.stderr);
    assert!(out.status.success(), "{args:?}: {said}");
    out
}

fn rows(out: &[u8]) -> Vec<Row> {
    let mut table = csv::Reader::from_reader(out);
    table.deserialize().map(|r| r.unwrap()).collect()
}

/// Digits with at most eight decimals as a whole number of 1e-8.
fn fixed(text: &str) -> i128 {
    let (sign, text) = match text.strip_prefix('-') {
        Some(rest) => (-1, rest),
        None => (1, text),
    };
    let (whole, part) = text.split_once('.').unwrap_or((text, ""));
    sign * format!("{whole}{part:0<8}").parse::<i128>().unwrap()
}

const ONE: i128 = 100_000_000;

fn decimal(v: &Value) -> i128 {
    match v {
        Value::Integer(n) => i128::from(*n) * ONE,
        Value::Float(x) => fixed(&x.to_string()),
        other => panic!("{other} is no number"),
    }
}

fn words(v: &Value) -> &str {
    v.as_str().unwrap()
}

#[derive(Clone, Debug, PartialEq)]
struct Listed {
    root: String,
    date: String,
    ends: String,
    opening: bool,
    monthly: bool,
    t: f64,
    vol: f64,
}

#[derive(Clone, Debug)]
struct Quoted {
    name: String,
    put: bool,
    strike: i128,
    bid: i128,
    ask: i128,
    delta: f64,
    spot: i128,
}

/// A market as its exports show it.
struct Shown {
    symbol: String,
    facts: HashMap<String, String>,
    bars: BTreeMap<String, (i128, i128)>,
    events: Vec<(String, String)>,
    listed: RefCell<HashMap<String, Vec<Listed>>>,
    chains: RefCell<HashMap<(String, String, String), Vec<Quoted>>>,
}

impl Shown {
    fn new(symbol: &str, to: &str) -> Shown {
        let export =
            |what: &str| rows(&run(&["export", what, "--symbol", symbol, "--at", to]).stdout);
        let facts = export("instrument");
        let bars = export("bars");
        Shown {
            symbol: symbol.into(),
            facts: facts
                .iter()
                .map(|r| (r["name"].clone(), r["value"].clone()))
                .collect(),
            bars: bars
                .iter()
                .map(|r| (r["date"].clone(), (fixed(&r["open"]), fixed(&r["close"]))))
                .collect(),
            events: export("events")
                .iter()
                .map(|r| (r["kind"].clone(), r["date"].clone()))
                .collect(),
            listed: RefCell::default(),
            chains: RefCell::default(),
        }
    }

    fn fact(&self, name: &str) -> i128 {
        fixed(&self.facts[name])
    }

    fn listed(&self, at: &str, kind: &str) -> Vec<Listed> {
        let mut kept = self.listed.borrow_mut();
        let all = kept.entry(at.into()).or_insert_with(|| {
            let out = run(&[
                "export",
                "expirations",
                "--symbol",
                &self.symbol,
                "--at",
                at,
            ]);
            rows(&out.stdout)
                .iter()
                .map(|r| {
                    let opening = r["settles"] == "opening";
                    Listed {
                        root: r["root"].clone(),
                        date: r["expiry"].clone(),
                        ends: r["ends"][..16].into(),
                        opening,
                        // A long one is a monthly far ahead.
                        monthly: matches!(r["kind"].as_str(), "monthly" | "long"),
                        t: r["t_years"].parse().unwrap(),
                        vol: r["atm_vol"].parse().unwrap(),
                    }
                })
                .collect()
        });
        let of_kind = |e: &&Listed| match kind {
            "monthly" => e.monthly,
            "weekly" => !e.monthly,
            _ => true,
        };
        all.iter().filter(of_kind).cloned().collect()
    }

    fn chain(&self, at: &str, root: &str, date: &str) -> Vec<Quoted> {
        let key = (at.to_owned(), root.to_owned(), date.to_owned());
        let mut kept = self.chains.borrow_mut();
        let made = kept.entry(key).or_insert_with(|| {
            let args = [
                "export",
                "chain",
                "--symbol",
                &self.symbol,
                "--at",
                at,
                "--expiry",
                date,
                "--root",
                root,
            ];
            rows(&run(&args).stdout)
                .iter()
                .map(|r| Quoted {
                    name: r["contract"].clone(),
                    put: r["kind"] == "put",
                    strike: fixed(&r["strike"]),
                    bid: if r["bid"].is_empty() {
                        0
                    } else {
                        fixed(&r["bid"])
                    },
                    ask: fixed(&r["ask"]),
                    delta: r["delta"].parse().unwrap(),
                    spot: fixed(&r["spot"]),
                })
                .collect()
        });
        made.clone()
    }

    fn quote(&self, at: &str, held: &Held) -> Quoted {
        let all = self.chain(at, &held.of.root, &held.of.date);
        all.into_iter().find(|q| q.name == held.name).unwrap()
    }

    /// Sessions after one date up to another.
    fn sessions(&self, from: &str, to: &str) -> usize {
        self.bars
            .range(from.to_owned()..=to.to_owned())
            .filter(|(d, _)| d.as_str() > from)
            .count()
    }
}

fn day(text: &str) -> i64 {
    let date: jiff::civil::Date = text[..10].parse().unwrap();
    desk::day_number(date)
}

#[derive(Clone, Debug)]
struct Held {
    name: String,
    put: bool,
    strike: i128,
    quantity: i128,
    of: Listed,
}

struct Cycle {
    expiration: String,
    now: Listed,
    entered: String,
    legs: Vec<Option<String>>,
    held: Vec<Held>,
    size: i128,
    /// In 1e-4 of money.
    cash: i128,
    fees: i128,
    entry: i128,
    best: i128,
    worst: i128,
    margin: i128,
    adjustments: usize,
    uses: Vec<i64>,
    marks: Vec<(String, i128)>,
    over: Option<(String, String)>,
}

fn gcd(a: i128, b: i128) -> i128 {
    if b == 0 { a.abs() } else { gcd(b, a % b) }
}

/// Profit of a cycle at a moment.
type Marked = (usize, String, i128);

struct Program {
    shown: Shown,
    drill: Table,
    multiplier: i128,
    part: i128,
    fee: i128,
}

impl Program {
    /// Price of a package and what it costs in all; both with their sign.
    fn trade(&self, legs: &[(i128, Quoted)]) -> (i128, i128) {
        let all = legs.iter().fold(0, |g, (n, _)| gcd(g, *n));
        let sum = |of: &dyn Fn(i128, &Quoted) -> i128| -> i128 {
            legs.iter().map(|(n, q)| n / all * of(*n, q)).sum()
        };
        let middle = sum(&|_, q| q.bid + q.ask);
        let far = sum(&|n, q| if n > 0 { q.ask } else { q.bid });
        // 2·(M + p(X − M)), in 1e-16; steps of a cent, upward.
        let twice = middle * ONE + self.part * (2 * far - middle);
        let cent = 2 * ONE * (ONE / 100);
        let price = -(-twice).div_euclid(cent) * (ONE / 100);
        (price, price * self.multiplier * all / 10_000)
    }

    fn buy(&self, c: &mut Cycle, legs: &[Held], at: &str) {
        let quoted: Vec<(i128, Quoted)> = legs
            .iter()
            .map(|h| (h.quantity, self.shown.quote(at, h)))
            .collect();
        c.cash -= self.trade(&quoted).1;
        c.fees += legs
            .iter()
            .map(|h| h.quantity.abs() * self.fee)
            .sum::<i128>();
        for h in legs {
            match c.held.iter_mut().find(|x| x.name == h.name) {
                Some(x) => x.quantity += h.quantity,
                None => c.held.push(h.clone()),
            }
        }
        c.held.retain(|h| h.quantity != 0);
    }

    fn sell_all(&self, c: &mut Cycle, at: &str, of: impl Fn(&Held) -> bool) {
        let gone: Vec<Held> = c
            .held
            .iter()
            .filter(|h| of(h))
            .map(|h| Held {
                quantity: -h.quantity,
                ..h.clone()
            })
            .collect();
        for leg in &mut c.legs {
            if gone.iter().any(|h| Some(&h.name) == leg.as_ref()) {
                *leg = None;
            }
        }
        self.buy(c, &gone, at);
    }

    fn profit(&self, c: &Cycle, at: &str) -> i128 {
        let each = c.held.iter().map(|h| {
            let q = self.shown.quote(at, h);
            h.quantity * (q.bid + q.ask) * self.multiplier / 20_000
        });
        c.cash - c.fees + each.sum::<i128>()
    }

    /// The legs of a cycle in an expiration, by their numbers.
    fn legs(&self, at: &str, e: &Listed, size: i128) -> Option<Vec<Held>> {
        let all = self.shown.chain(at, &e.root, &e.date);
        let spot = all.first()?.spot;
        let mut out: Vec<Held> = Vec::new();
        for leg in self.drill["enter"]["legs"].as_array().unwrap() {
            let put = words(&leg["right"]) == "put";
            let strike = leg["strike"].as_table().unwrap();
            let side: Vec<&Quoted> = all.iter().filter(|q| q.put == put).collect();
            let away = |q: &Quoted| -> f64 {
                if let Some(x) = strike.get("delta") {
                    return (q.delta.abs() - decimal(x) as f64 / 1e8).abs();
                }
                let points = strike.get("points").map_or(0, decimal);
                let target = match (strike.get("leg"), strike.get("sigma")) {
                    (Some(n), _) => out[n.as_integer().unwrap() as usize - 1].strike + points,
                    (None, Some(x)) => {
                        let x = decimal(x) as f64 / 1e8;
                        return (q.strike as f64 - spot as f64 * (x * e.vol * e.t.sqrt()).exp())
                            .abs();
                    }
                    (None, None) => spot + points,
                };
                (q.strike - target).abs() as f64
            };
            let nearest = side
                .iter()
                .fold(None, |best: Option<&Quoted>, q| match best {
                    Some(b) if away(b) <= away(q) => Some(b),
                    _ => Some(q),
                })?;
            let way = if words(&leg["side"]) == "buy" { 1 } else { -1 };
            if out.iter().any(|h| h.name == nearest.name) {
                return None;
            }
            let quantity = leg.get("quantity").map_or(ONE, decimal) / ONE;
            out.push(Held {
                name: nearest.name.clone(),
                put,
                strike: nearest.strike,
                quantity: way * size * quantity,
                of: e.clone(),
            });
        }
        Some(out)
    }

    /// Least and most of the profit at the end of what is held, all of one expiration; the most is
    /// nothing where calls are bought on balance.
    fn extremes(&self, c: &Cycle) -> (i128, Option<i128>) {
        let at = |s: i128| -> i128 {
            let each = c.held.iter().map(|h| {
                let inside = if h.put { h.strike - s } else { s - h.strike };
                h.quantity * inside.max(0) * self.multiplier / 10_000
            });
            c.cash - c.fees + each.sum::<i128>()
        };
        let corners = c.held.iter().map(|h| at(h.strike)).chain([at(0)]);
        let all: Vec<i128> = corners.collect();
        let calls: i128 = c.held.iter().filter(|h| !h.put).map(|h| h.quantity).sum();
        assert!(calls >= 0, "no drill here sells calls that nothing covers");
        (
            *all.iter().min().unwrap(),
            (calls == 0).then(|| *all.iter().max().unwrap()),
        )
    }

    fn holds(&self, c: Option<&Cycle>, e: &Listed, at: &str, condition: &Value) -> bool {
        let (key, v) = condition.as_table().unwrap().iter().next().unwrap();
        let money = |c: &Cycle, sign: i128| {
            let (unit, x) = v.as_table().unwrap().iter().next().unwrap();
            let (profit, x) = (sign * self.profit(c, at), decimal(x));
            let reaches = |of: i128| of > 0 && profit * ONE >= x * of;
            match unit.as_str() {
                "money" => profit * 10_000 >= x,
                "times_credit" => reaches(c.entry),
                "times_debit" => reaches(-c.entry),
                "percent_of_stake" => {
                    profit * 100 * ONE >= x * decimal(&self.drill["stake"]) / 10_000
                }
                "percent_of_max" => {
                    let (least, most) = self.extremes(c);
                    let of = if sign > 0 { most.unwrap_or(0) } else { -least };
                    of > 0 && profit * 100 * ONE >= x * of
                }
                other => panic!("{other}"),
            }
        };
        let all = |list: &Value| -> Vec<bool> {
            let each = list.as_array().unwrap().iter();
            each.map(|one| self.holds(c, e, at, one)).collect()
        };
        match key.as_str() {
            "profit" => money(c.unwrap(), 1),
            "loss" => money(c.unwrap(), -1),
            "days_left" => day(&e.date) - day(at) <= v.as_integer().unwrap(),
            "days_open" => day(at) - day(&c.unwrap().entered) >= v.as_integer().unwrap(),
            "delta" => {
                let c = c.unwrap();
                let name = &c.legs[v["leg"].as_integer().unwrap() as usize - 1];
                let held = c.held.iter().find(|h| Some(&h.name) == name.as_ref());
                held.is_some_and(|h| {
                    let limit = decimal(&v["at_or_above"]) as f64 / 1e8;
                    self.shown.quote(at, h).delta.abs() >= limit
                })
            }
            "price" => {
                let c = c.unwrap();
                let spot = self.shown.quote(at, &c.held[0]).spot;
                let (side, level) = v.as_table().unwrap().iter().next().unwrap();
                let limit = match level.get("leg") {
                    Some(n) => {
                        let name = &c.legs[n.as_integer().unwrap() as usize - 1];
                        match c.held.iter().find(|h| Some(&h.name) == name.as_ref()) {
                            Some(h) => h.strike + level.get("points").map_or(0, decimal),
                            None => return false,
                        }
                    }
                    None => decimal(level),
                };
                if side == "at_or_above" {
                    spot >= limit
                } else {
                    spot <= limit
                }
            }
            "event" => {
                let today = &at[..10];
                let kind = words(&v["kind"]);
                let ahead = self.shown.events.iter();
                let next = ahead
                    .filter(|(k, d)| k == kind && d.as_str() >= today)
                    .min_by_key(|(_, d)| d);
                next.is_some_and(|(_, d)| {
                    self.shown.sessions(today, d) as i64 <= v["sessions"].as_integer().unwrap()
                })
            }
            "and" => all(v).into_iter().all(|x| x),
            "or" => all(v).into_iter().any(|x| x),
            "not" => !self.holds(c, e, at, v),
            other => panic!("{other}"),
        }
    }

    /// After the trades of a look.
    fn keep(&self, c: &mut Cycle, at: &str) {
        let profit = if c.held.is_empty() {
            c.cash - c.fees
        } else {
            self.profit(c, at)
        };
        c.best = c.best.max(profit);
        c.worst = c.worst.min(profit);
        c.marks.push((at.into(), profit));
        // All of these risk a limited loss: the most that the options can lose, gross of what they brought.
        if !c.held.is_empty() {
            let gross = Cycle {
                cash: 0,
                fees: 0,
                legs: vec![],
                held: c.held.clone(),
                marks: vec![],
                uses: vec![],
                expiration: String::new(),
                now: c.now.clone(),
                entered: String::new(),
                over: None,
                ..*c
            };
            c.margin = c.margin.max(-self.extremes(&gross).0);
        }
    }

    fn list(&self, part: &str, name: &str) -> Vec<Value> {
        let list = self.drill.get(part).and_then(|t| t.get(name));
        list.and_then(Value::as_array).cloned().unwrap_or_default()
    }

    /// One look of one cycle.
    fn look(&self, c: &mut Cycle, at: &str, last: bool) {
        // What ended before it.
        let ended = c.held.iter().filter(|h| h.of.ends.as_str() <= at);
        if let Some(of) = ended.map(|h| h.of.clone()).next() {
            let bar = self.shown.bars[&of.date];
            let print = if of.opening { bar.0 } else { bar.1 };
            for h in &c.held {
                assert_eq!(h.of, of, "no drill here holds two expirations");
                let inside = if h.put {
                    h.strike - print
                } else {
                    print - h.strike
                };
                c.cash += h.quantity * inside.max(0) * self.multiplier / 10_000;
            }
            c.held.clear();
            self.keep(c, &of.ends);
            c.over = Some((of.ends, "end".into()));
            return;
        }
        let now = c.now.clone();
        let leaves = self.list("leave", "when");
        let why = leaves
            .iter()
            .position(|l| self.holds(Some(c), &now, at, l))
            .map(|i| format!("leave {}", i + 1))
            .or(last.then(|| "to".into()));
        if let Some(why) = why {
            self.sell_all(c, at, |_| true);
            c.over = Some((at.into(), why));
            self.keep(c, at);
            return;
        }
        let rules = self
            .drill
            .get("adjust")
            .and_then(Value::as_array)
            .cloned()
            .unwrap_or_default();
        for (i, rule) in rules.iter().enumerate() {
            let most = rule
                .get("most")
                .and_then(Value::as_integer)
                .unwrap_or(i64::MAX);
            let now = c.now.clone();
            if c.uses[i] >= most || !self.holds(Some(c), &now, at, &rule["when"]) {
                continue;
            }
            c.uses[i] += 1;
            c.adjustments += 1;
            let deed = &rule["do"];
            if let Some(which) = deed.get("close_side") {
                assert_eq!(words(which), "pressed");
                let spot = self.shown.quote(at, &c.held[0]).spot;
                let sold = c.held.iter().filter(|h| h.quantity < 0);
                let put = sold
                    .min_by_key(|h| ((h.strike - spot).abs(), h.strike))
                    .map(|h| h.put);
                self.sell_all(c, at, |h| Some(h.put) == put);
            } else {
                let next = match deed.get("roll") {
                    Some(n) => {
                        let n = n.as_integer().unwrap();
                        let kind = words(&self.drill["enter"]["expiration"]["kind"]);
                        let all = self.shown.listed(at, kind);
                        all.into_iter().find(|e| day(&e.date) - day(at) >= n)
                    }
                    None => Some(c.now.clone()),
                };
                self.sell_all(c, at, |_| true);
                // As listed at this look.
                let next = next.map(|e| {
                    let all = self.shown.listed(at, "any");
                    all.into_iter()
                        .find(|x| (&x.root, &x.date) == (&e.root, &e.date))
                        .unwrap()
                });
                if let Some((legs, e)) = next.and_then(|e| Some((self.legs(at, &e, c.size)?, e))) {
                    c.legs = legs.iter().map(|h| Some(h.name.clone())).collect();
                    self.buy(c, &legs, at);
                    c.now = e;
                }
            }
            if c.held.is_empty() {
                c.over = Some((at.into(), format!("adjust {}", i + 1)));
                break;
            }
        }
        self.keep(c, at);
    }

    fn enter(&self, at: &str, e: &Listed, size: i128) -> Option<Cycle> {
        let legs = self.legs(at, e, size)?;
        let mut c = Cycle {
            expiration: e.date.clone(),
            now: e.clone(),
            entered: at.into(),
            legs: legs.iter().map(|h| Some(h.name.clone())).collect(),
            held: vec![],
            size,
            cash: 0,
            fees: 0,
            entry: 0,
            best: i128::MIN,
            worst: i128::MAX,
            margin: 0,
            adjustments: 0,
            uses: vec![0; 9],
            marks: vec![],
            over: None,
        };
        self.buy(&mut c, &legs, at);
        c.entry = c.cash;
        self.keep(&mut c, at);
        Some(c)
    }

    /// All cycles and what was skipped, as rows of the file without number and most margin; and the
    /// profit of every look.
    fn play(&self) -> (Vec<Vec<String>>, Vec<Marked>) {
        let enter = &self.drill["enter"];
        let window = &enter["expiration"];
        let days = window["days"].as_integer().unwrap();
        let least = window
            .get("least")
            .map_or(days - 7, |l| l.as_integer().unwrap());
        let (from, to) = (words(&self.drill["from"]), words(&self.drill["to"]));
        let times: BTreeSet<&str> = self.drill["looks"]
            .as_array()
            .unwrap()
            .iter()
            .map(|l| if words(l) == "open" { "09:45" } else { "15:45" })
            .collect();
        let sessions = self
            .shown
            .bars
            .keys()
            .filter(|d| d.as_str() >= from && d.as_str() <= to);
        let looks: Vec<String> = sessions
            .flat_map(|d| times.iter().map(move |t| format!("{d}T{t}")))
            .collect();
        let mut begun = BTreeSet::new();
        let mut last_entry: Option<String> = None;
        // In the order of entry: a cycle, or the row of what was skipped.
        let mut all: Vec<Result<Cycle, Vec<String>>> = Vec::new();
        for (i, at) in looks.iter().enumerate() {
            let last = i + 1 == looks.len();
            for c in all.iter_mut().flatten().filter(|c| c.over.is_none()) {
                self.look(c, at, last);
            }
            let open = all.iter().flatten().any(|c| c.over.is_none());
            let every = enter.get("every");
            let due = match every {
                Some(Value::Integer(n)) => last_entry
                    .as_ref()
                    .is_none_or(|d| self.shown.sessions(d, &at[..10]) as i64 >= *n),
                Some(Value::String(w)) if w == "free" => !open,
                _ => true,
            };
            if last || !due {
                continue;
            }
            let each = every.is_none_or(|e| e.as_str() == Some("expiration"));
            for e in self.shown.listed(at, words(&window["kind"])) {
                let left = day(&e.date) - day(at);
                if !(least..=days).contains(&left)
                    || (each && !begun.insert((e.root.clone(), e.date.clone())))
                {
                    continue;
                }
                let skipped = |why: String| vec![e.date.clone(), moment(at), why];
                let ifs = self.list("enter", "if");
                let failed = ifs.iter().position(|c| !self.holds(None, &e, at, c));
                let percent = enter.get("size").and_then(|s| s.get("percent_of_stake"));
                let made = match failed {
                    Some(n) => Err(skipped(format!("skipped {}", n + 1))),
                    None => match self.enter(at, &e, 1) {
                        None => Err(skipped("skipped legs".into())),
                        Some(one) => match percent {
                            None => Ok(one),
                            Some(x) => {
                                let loss = -self.extremes(&one).0;
                                let stake = decimal(&self.drill["stake"]) / 10_000;
                                match stake * decimal(x) / (100 * ONE * loss) {
                                    0 => Err(skipped("skipped size".into())),
                                    n => Ok(self.enter(at, &e, n).unwrap()),
                                }
                            }
                        },
                    },
                };
                if made.is_ok() {
                    last_entry = Some(at[..10].to_owned());
                }
                all.push(made);
                if !each {
                    break;
                }
            }
        }
        let mut marks = Vec::new();
        let mut number = 0;
        let table = all
            .into_iter()
            .map(|row| {
                let c = match row {
                    Ok(c) => c,
                    Err(skipped) => return skipped,
                };
                number += 1;
                marks.extend(c.marks.iter().map(|(at, m)| (number, moment(at), *m)));
                let (left, why) = c.over.unwrap();
                vec![
                    c.expiration,
                    moment(&c.entered),
                    moment(&left),
                    why,
                    c.adjustments.to_string(),
                    c.cash.to_string(),
                    c.fees.to_string(),
                    (c.cash - c.fees).to_string(),
                    (day(&left) - day(&c.entered)).to_string(),
                    c.best.to_string(),
                    c.worst.to_string(),
                    c.margin.to_string(),
                ]
            })
            .collect();
        (table, marks)
    }
}

fn moment(at: &str) -> String {
    format!("{at}:00.000-05:00")
}

/// Holds the command against the program; gives the reasons of leaving and the actions that were met.
fn held_against(text: &str) -> (BTreeSet<String>, BTreeSet<String>) {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    std::fs::write(path("drill.toml"), text).unwrap();
    let (drill, cycles, looks) = (path("drill.toml"), path("cycles.csv"), path("looks.csv"));
    run(&[
        "rehearse", "--drill", &drill, "--out", &cycles, "--looks", &looks,
    ]);
    let cycles = rows(&std::fs::read(cycles).unwrap());
    let looks = rows(&std::fs::read(looks).unwrap());

    let drill: Table = text.parse().unwrap();
    // Bars as a calendar of sessions: some months more than the span.
    let shown = Shown::new(words(&drill["symbol"]), "2031-03-10");
    let program = Program {
        multiplier: shown.fact("multiplier") / ONE,
        fee: shown.fact("fee_option") / 10_000,
        part: decimal(&drill["price"]),
        shown,
        drill,
    };
    let (wanted, marks) = program.play();
    assert_eq!(cycles.len(), wanted.len());
    let money = |r: &Row, name: &str| (fixed(&r[name]) / 10_000).to_string();
    for (r, wanted) in cycles.iter().zip(&wanted) {
        if wanted.len() == 3 {
            let found = ["expiration", "entered", "why"].map(|n| r[n].clone());
            assert_eq!(&found[..], &wanted[..]);
            assert!(r["cycle"].is_empty() && r["net"].is_empty());
            continue;
        }
        let mut found: Vec<String> = ["expiration", "entered", "left", "why", "adjustments"]
            .map(|n| r[n].clone())
            .to_vec();
        found.extend(["net", "fees", "profit"].map(|n| money(r, n)));
        found.push(r["days"].clone());
        found.extend(["best", "worst", "most_margin"].map(|n| money(r, n)));
        assert_eq!(&found, wanted, "cycle {}", r["cycle"]);
    }
    let found: Vec<Marked> = looks
        .iter()
        .map(|r| {
            let cycle = r["cycle"].parse().unwrap();
            (cycle, r["at"].clone(), fixed(&r["mark_profit"]) / 10_000)
        })
        .collect();
    assert_eq!(found, marks);
    let met = |all: &[Row], name: &str| all.iter().map(|r| r[name].clone()).collect();
    (met(&cycles, "why"), met(&looks, "action"))
}

fn all_met(met: &BTreeSet<String>, wanted: &[&str]) {
    for one in wanted {
        assert!(met.contains(*one), "{one} is not among {met:?}");
    }
}

/// An index with monthlies that settle at the opening: a condor that is built anew under pressure below
/// and rolled under pressure above.
#[test]
fn a_drill_that_rebuilds_and_rolls() {
    let (why, action) = held_against(
        r#"
name = "rebuilt"
symbol = "WXMR"
from = "2029-10-01"
to = "2030-09-30"
looks = ["close"]
price = 0.35
fees = true
stake = 12000
[enter]
expiration = { kind = "monthly", days = 45 }
legs = [
  { side = "sell", quantity = 2, right = "put", strike = { sigma = -0.8 } },
  { side = "buy", quantity = 2, right = "put", strike = { leg = 1, points = -60 } },
  { side = "sell", quantity = 2, right = "call", strike = { points = 105 } },
  { side = "buy", quantity = 2, right = "call", strike = { leg = 3, points = 60 } },
]
[[adjust]]
when = { price = { at_or_below = { leg = 1, points = 20 } } }
do = "rebuild"
most = 2
[[adjust]]
when = { price = { at_or_above = { leg = 3, points = 0 } } }
do = { roll = 40 }
most = 1
[[adjust]]
when = { and = [{ days_left = 9 }, { loss = { percent_of_stake = 7.1 } }] }
do = "close"
[leave]
when = [{ profit = { percent_of_max = 96 } }, { loss = { times_credit = 1.6 } }]
"#,
    );
    all_met(&why, &["leave 1", "leave 2", "end", "to"]);
    all_met(
        &action,
        &["enter", "hold", "adjust 1", "adjust 2", "leave", "end"],
    );
}

/// A fund with American options: by deltas, looked at twice a session, one side closed under pressure.
#[test]
fn a_drill_by_deltas_with_two_looks_a_session() {
    let (why, action) = held_against(
        r#"
name = "twice a day"
symbol = "WXMT"
from = "2030-05-01"
to = "2030-09-13"
looks = ["open", "close"]
price = 1
fees = true
stake = 2000
[enter]
expiration = { kind = "weekly", days = 12, least = 6 }
every = 4
legs = [
  { side = "sell", right = "put", strike = { delta = 0.25 } },
  { side = "buy", right = "put", strike = { delta = 0.1 } },
  { side = "sell", right = "call", strike = { delta = 0.25 } },
  { side = "buy", right = "call", strike = { delta = 0.1 } },
]
[[adjust]]
when = { or = [{ delta = { leg = 1, at_or_above = 0.45 } }, { delta = { leg = 3, at_or_above = 0.45 } }] }
do = { close_side = "pressed" }
most = 1
[leave]
when = [{ profit = { times_credit = 0.6 } }, { and = [{ days_open = 9 }, { not = { profit = { money = 0 } } }] }]
"#,
    );
    all_met(&why, &["leave 1", "leave 2", "end", "to"]);
    all_met(&action, &["adjust 1"]);
    assert!(!action.contains("assigned"));
}

/// Around the earnings of a company: bought when they come near, sold before they are told, as large as the
/// stake allows.
#[test]
fn a_drill_around_earnings() {
    let (why, _) = held_against(
        r#"
name = "into the news"
symbol = "NMOU"
from = "2029-11-01"
to = "2030-12-31"
looks = ["close"]
price = "far"
fees = true
stake = 60000
[enter]
expiration = { kind = "any", days = 40, least = 12 }
every = "free"
if = [{ event = { kind = "earnings", sessions = 12 } }, { not = { event = { kind = "earnings", sessions = 3 } } }]
size = { percent_of_stake = 3.3 }
legs = [
  { side = "buy", right = "call", strike = { points = 0 } },
  { side = "buy", right = "put", strike = { leg = 1 } },
]
[leave]
when = [
  { event = { kind = "earnings", sessions = 0 } },
  { profit = { times_debit = 0.12 } },
  { loss = { percent_of_max = 20 } },
]
"#
        .replace("price = \"far\"", "price = 1")
        .as_str(),
    );
    all_met(
        &why,
        &["leave 1", "leave 2", "leave 3", "skipped 1", "skipped 2"],
    );
}
