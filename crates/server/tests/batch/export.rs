//! What the command line writes about the market agrees with the market, and bad requests say what
//! would be right.

use std::collections::HashMap;
use std::process::{Command, Output};

use desk::calendar::close_of;
use desk::{Moment, Price};
use jiff::civil::date;
use market::World;
use server::demo::DEMO_SEED;

fn export(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_pikebell"))
        .arg("export")
        .args(arguments)
        .output()
        .unwrap()
}

/// Rows by column name, read by a reader that is not ours.
fn rows(output: &Output) -> Vec<HashMap<String, String>> {
    assert!(
        output.status.success(),
        "{}",
        String::from_utf8_lossy(&output.stderr)
    );
    csv::Reader::from_reader(&output.stdout[..])
        .deserialize()
        .collect::<Result<_, _>>()
        .unwrap()
}

#[test]
fn a_chain_holds_its_contracts_and_no_crossed_market() {
    let out = export(&["chain", "--symbol", "NMOU", "--at", "2030-06-04T14:10"]);
    assert!(
        out.stdout.windows(2).any(|w| w == b"\r\n"),
        "lines end as RFC 4180 says"
    );
    let chain = rows(&out);
    assert!(chain.len() > 500, "{}", chain.len());
    let world = World::new(DEMO_SEED);
    let at = Moment::at(date(2030, 6, 4), 14, 10);
    for row in &chain {
        let contract: desk::Contract = row["contract"].parse().unwrap();
        assert_eq!(
            (
                row["expiry"].clone(),
                row["strike"].parse::<Price>().unwrap()
            ),
            (contract.expiry.to_string(), contract.strike)
        );
        assert_eq!(row["contract"].len(), 21);
        let ask: Price = row["ask"].parse().unwrap();
        assert!(row["bid"].is_empty() || row["bid"].parse::<Price>().unwrap() < ask);
        assert!(
            row["last"].is_empty() == (row["volume"] == "0")
                && (row["last"].is_empty() || row["last"].parse::<Price>().unwrap() <= ask)
        );
        assert_eq!(
            row["spot"].parse::<Price>().unwrap(),
            world.spot("NMOU", at).unwrap()
        );
        let listed = market::Quoter::new().quote(&world, &contract, at).unwrap();
        assert_eq!(
            (ask, row["theoretical"].parse::<f64>().unwrap()),
            (listed.quote.ask, listed.theoretical),
            "{contract}"
        );
    }
    assert_eq!(
        export(&["chain", "--symbol", "NMOU", "--at", "2030-06-04T14:10"]).stdout,
        out.stdout,
        "the same moment, the same bytes"
    );
    assert_ne!(
        export(&[
            "chain",
            "--symbol",
            "NMOU",
            "--at",
            "2030-06-04T14:10",
            "--seed",
            "5"
        ])
        .stdout,
        out.stdout
    );
}

#[test]
fn bars_enclose_their_prices_and_follow_each_other() {
    let bars = rows(&export(&[
        "bars",
        "--symbol",
        "WXMT",
        "--from",
        "2031-02-03",
        "--at",
        "2031-03-11T10:42",
    ]));
    let world = World::new(DEMO_SEED);
    let price = |row: &HashMap<String, String>, name: &str| row[name].parse::<Price>().unwrap();
    assert_eq!(
        (
            bars[0]["date"].as_str(),
            bars[bars.len() - 1]["date"].as_str()
        ),
        ("2031-02-03", "2031-03-11")
    );
    for row in &bars {
        let [open, high, low, close] =
            ["open", "high", "low", "close"].map(|name| price(row, name));
        assert!(
            low <= open.min(close)
                && high >= open.max(close)
                && low > Price::ZERO
                && row["volume"].parse::<i64>().unwrap() > 0,
            "{row:?}"
        );
        let day = row["date"].parse().unwrap();
        let end = close_of(day).min(Moment::at(date(2031, 3, 11), 10, 42));
        assert_eq!(close, world.spot("WXMT", end).unwrap());
        let noon = world.spot("WXMT", Moment::at(day, 10, 30)).unwrap();
        assert!(low <= noon && noon <= high, "{row:?}");
    }
    assert_eq!(bars.len(), 26, "sessions from 3 February to 11 March");
    // The whole history: more than thirty months.
    assert!(rows(&export(&["bars", "--symbol", "WXMR"])).len() > 650);
}

#[test]
fn a_surface_is_its_volatilities_and_grows_with_time() {
    let surface = rows(&export(&[
        "surface",
        "--symbol",
        "TKZR",
        "--at",
        "2031-03-10",
    ]));
    let number = |row: &HashMap<String, String>, name: &str| row[name].parse::<f64>().unwrap();
    let mut at_the_money: Vec<(String, f64, f64)> = Vec::new();
    for row in &surface {
        let (k, vol, years) = (
            number(row, "log_moneyness"),
            number(row, "vol"),
            number(row, "t_years"),
        );
        assert!(((number(row, "strike") / number(row, "forward")).ln() - k).abs() < 1e-12);
        assert!((vol * vol * years - number(row, "total_variance")).abs() < 1e-15 && vol > 0.03);
        if k.abs() < 0.01
            && at_the_money
                .last()
                .is_none_or(|(expiry, ..)| *expiry != row["expiry"])
        {
            at_the_money.push((row["expiry"].clone(), years, vol * vol * years));
        }
    }
    assert!(
        at_the_money.len() > 8
            && at_the_money
                .windows(2)
                .all(|w| w[1].1 > w[0].1 && w[1].2 > w[0].2),
        "{at_the_money:?}"
    );
}

/// Each expiration stands as the chain and the surface have it: roots and dates of the contracts, the
/// forward of the surface, its volatility where log-moneyness is zero.
#[test]
fn expirations_are_those_of_the_chain_and_the_surface() {
    let at = ["--symbol", "WXMR", "--at", "2031-03-11T10:42"];
    let of = |what: &str, more: &[&str]| rows(&export(&[&[what], &at[..], more].concat()));
    let number = |row: &HashMap<String, String>, name: &str| row[name].parse::<f64>().unwrap();
    let all = of("expirations", &[]);
    assert!(all.len() > 15, "{}", all.len());
    // The third Friday of April is listed twice: it settles at the opening and at the close.
    let april: Vec<_> = all.iter().filter(|r| r["expiry"] == "2031-04-18").collect();
    let told: Vec<[&str; 4]> = april
        .iter()
        .map(|r| ["root", "ends", "settles", "kind"].map(|c| r[c].as_str()))
        .collect();
    assert!(
        told.contains(&[
            "WXMR",
            "2031-04-18T09:30:00.000-05:00",
            "opening",
            "monthly"
        ]),
        "{told:?}"
    );
    for row in &all {
        let (expiry, root) = (row["expiry"].as_str(), row["root"].as_str());
        let one = ["--expiry", expiry, "--root", root];
        let surface = of("surface", &one);
        let (t, forward) = (number(row, "t_years"), number(row, "forward"));
        assert!(
            surface
                .iter()
                .all(|s| s["expiry"] == expiry && number(s, "t_years") == t)
        );
        assert!((number(&surface[0], "forward") - forward).abs() < 1e-9 * forward);
        let carried = 0.0_f64.max(t) * (number(row, "rate") - number(row, "yield"));
        let spot = of("chain", &one)[0]["spot"].parse::<f64>().unwrap();
        assert!((spot * carried.exp() - forward).abs() < 1e-9 * forward);
        // The surface is smooth: between the strikes around the forward its total variance is too.
        let around = surface.windows(2).find(|w| {
            number(&w[0], "log_moneyness") <= 0.0 && number(&w[1], "log_moneyness") >= 0.0
        });
        if let Some([low, high]) = around {
            let vol = number(row, "atm_vol");
            let (a, b) = (number(low, "vol"), number(high, "vol"));
            assert!(
                (a.min(b) - 0.002..=a.max(b) + 0.002).contains(&vol),
                "{row:?} {a} {b}"
            );
        }
    }
    let chain = of(
        "chain",
        &[
            "--expiry",
            "2031-04-18",
            "--expiry",
            "2031-05-16",
            "--root",
            "WXMR",
        ],
    );
    assert!(!chain.is_empty());
    for row in &chain {
        assert!(row["contract"].starts_with("WXMR "), "{row:?}");
        assert!(["2031-04-18", "2031-05-16"].contains(&row["expiry"].as_str()));
    }
}

#[test]
fn an_instrument_says_what_its_symbol_does_not() {
    let facts = |symbol: &str| -> HashMap<String, String> {
        let all = rows(&export(&["instrument", "--symbol", symbol]));
        all.iter()
            .map(|r| (r["name"].clone(), r["value"].clone()))
            .collect()
    };
    let told = |symbol: &str, names: [&str; 8]| {
        let all = facts(symbol);
        names.map(|n| all[n].clone())
    };
    let names = [
        "kind",
        "style",
        "settlement",
        "multiplier",
        "sector",
        "opening_root",
        "fee_option",
        "prices",
    ];
    assert_eq!(
        told("WXMR", names),
        [
            "index", "european", "cash", "100", "", "WXMR", "0.65", "decimal"
        ]
    );
    assert_eq!(
        told("VXLO", names),
        [
            "shares",
            "american",
            "delivery",
            "100",
            "technology",
            "",
            "0.65",
            "decimal"
        ]
    );
    assert_eq!(facts("NMOU")["name"], "Nimoura Systems");
}

/// Events come in order, nothing of them before it is announced, and what is told at an opening is
/// known at one.
#[test]
fn events_are_told_as_they_are_announced() {
    let of = |symbol: &str, at: &str| rows(&export(&["events", "--symbol", symbol, "--at", at]));
    let now = of("NMOU", "2031-03-11T10:42");
    assert!(
        now.iter()
            .any(|e| e["date"] == "2031-03-20" && e["kind"] == "earnings")
    );
    assert!(
        now.iter()
            .all(|e| e["cash"].is_empty() || e["kind"] == "ex-dividend")
    );
    let dates: Vec<&str> = now.iter().map(|e| e["date"].as_str()).collect();
    assert!(dates.is_sorted() && dates[0] < "2029" && dates[dates.len() - 1] < "2034-04");
    for e in &now {
        assert!(e["known"].contains("T09:30:00") && e["known"].as_str() >= &e["date"][..]);
    }
    // What was told then is among what is told now.
    let before = of("NMOU", "2029-06-04T10:00");
    assert!(before.len() < now.len() && before.iter().all(|e| now.contains(e)));
    assert!(
        of("PHYA", "2031-03-11")
            .iter()
            .any(|e| e["kind"] == "decision")
    );
    let paid = of("TLVN", "2031-03-11");
    let dividends: Vec<_> = paid.iter().filter(|e| e["kind"] == "ex-dividend").collect();
    assert!(dividends.len() > 8);
    for d in dividends {
        assert!(d["cash"].parse::<f64>().unwrap() > 0.0);
        assert_eq!(d["known"], format!("{}T09:30:00.000-05:00", d["date"]));
    }
}

/// What was written of one market and read into another is what is written of that.
#[test]
fn a_market_from_files_is_exported_as_it_was_recorded() {
    let folder = tempfile::tempdir().unwrap();
    let market = folder.path().to_str().unwrap();
    let at = "2031-03-11T10:42";
    let chain = export(&[
        "chain",
        "--symbol",
        "NMOU",
        "--at",
        at,
        "--expiry",
        "2031-04-18",
    ]);
    let file = folder.path().join("chain.csv");
    std::fs::write(&file, &chain.stdout).unwrap();
    let into = folder.path().join("mine");
    let done = Command::new(env!("CARGO_BIN_EXE_pikebell"))
        .args(["import", "chain", "--symbol", "OWNED", "--in"])
        .args([&file, std::path::Path::new("--into"), &into])
        .output()
        .unwrap();
    assert!(
        done.status.success(),
        "{}",
        String::from_utf8_lossy(&done.stderr)
    );
    let mine = into.to_str().unwrap();
    let own = |what: &str| rows(&export(&[what, "--symbol", "OWNED", "--market", mine]));
    let (before, after) = (rows(&chain), own("chain"));
    assert_eq!(before.len(), after.len());
    for (b, a) in before.iter().zip(&after) {
        for column in [
            "at", "spot", "expiry", "kind", "strike", "bid", "ask", "volume",
        ] {
            assert_eq!(b[column], a[column], "{column} of {b:?}");
        }
        assert_eq!(&b["contract"][6..], &a["contract"][6..]);
    }
    // The volatility at the forward comes from the quotes of the two strikes around it.
    let one = &own("expirations")[0];
    let number = |row: &HashMap<String, String>, name: &str| row[name].parse::<f64>().unwrap();
    let (forward, t) = (number(one, "forward"), number(one, "t_years"));
    let outside: Vec<(f64, f64)> = after
        .iter()
        .filter(|r| (r["kind"] == "call") == (number(r, "strike") >= forward))
        .filter(|r| !r["iv"].is_empty())
        .map(|r| {
            (
                (number(r, "strike") / forward).ln(),
                number(r, "iv").powi(2) * t,
            )
        })
        .collect();
    let pair = outside
        .windows(2)
        .find(|w| w[0].0 <= 0.0 && w[1].0 >= 0.0)
        .unwrap();
    let variance = pair[0].1 - (pair[1].1 - pair[0].1) * pair[0].0 / (pair[1].0 - pair[0].0);
    assert!(
        (number(one, "atm_vol") - (variance / t).sqrt()).abs() < 1e-12,
        "{one:?}"
    );
    assert!(own("surface").len() > 20 && own("events").is_empty());
    let out = export(&["chain", "--symbol", "OWNED", "--market", market]);
    assert!(!out.status.success(), "the folder above is no market");
}

#[test]
fn a_bad_request_says_what_would_be_right() {
    for (arguments, words) in [
        (
            &["chain", "--symbol", "ZZZZ"][..],
            &["ZZZZ", "known: WXMR"][..],
        ),
        (
            &["bars", "--symbol", "NMOU", "--at", "soon"],
            &["--at \"soon\"", "write it like 2031-03-11T10:42"],
        ),
        (
            &["bars", "--symbol", "NMOU", "--at", "2041-03-11"],
            &["outside the world", "from 2028-06-01 to 2033-12-30"],
        ),
        (
            &["chain", "--symbol", "NMOU", "--expiry", "2031-04-19"],
            &["--expiry 2031-04-19 is not listed", "2031-04-18"],
        ),
        (
            &["surface", "--symbol", "WXMR", "--root", "WXMX"],
            &["--root \"WXMX\"", "listed: WXMR"],
        ),
        (
            &["bars", "--symbol", "NMOU", "--from", "March"],
            &["--from \"March\"", "write it like 2031-03-11"],
        ),
        (
            &[
                "surface",
                "--symbol",
                "NMOU",
                "--out",
                "/nowhere/at/all.csv",
            ],
            &["/nowhere/at/all.csv"],
        ),
    ] {
        let out = export(arguments);
        let said = String::from_utf8_lossy(&out.stderr).into_owned();
        assert!(
            !out.status.success() && out.stdout.is_empty(),
            "{arguments:?}"
        );
        assert!(
            words.iter().all(|w| said.contains(w)),
            "{arguments:?}: {said}"
        );
    }
}
