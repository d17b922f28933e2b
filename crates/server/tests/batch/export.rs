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
