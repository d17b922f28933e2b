//! The pictures of docs/screenshots, from the demo data. Run by `cargo xtask shots`.

use std::time::Duration;

use e2e::{Browser, Program, command, in_browser, root};
use serde_json::json;

#[tokio::main]
async fn main() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("demo.db");
    in_browser(move |b| async move {
        let program = Program::demo(&data, 0);
        let home = &program.door.address;
        b.enter(&program).await;
        b.find("[data-cell]").await;
        for (contract, what) in [
            ("205-call", "bid"),
            ("210-call", "ask"),
            ("170-put", "bid"),
            ("165-put", "ask"),
        ] {
            b.click(&format!("[data-cell='{contract}-{what}']")).await;
        }
        b.until("[data-testid=structure-name]", "a condor", |t| {
            t.starts_with("iron condor")
        })
        .await;
        b.run("document.activeElement.blur()").await;
        shot(&b, "chain").await;
        b.keys("t").await;
        b.find("[role=dialog] [role=slider]").await;
        shot(&b, "ticket").await;
        b.keys(e2e::ESCAPE).await;
        b.press("build ▾").await;
        b.press("stays").await;
        b.find("[data-idea]").await;
        shot(&b, "build").await;
        b.keys(e2e::ESCAPE).await;
        b.press("target").await;
        beside(&b, "history").await;
        shot(&b, "chain-history").await;
        beside(&b, "nothing").await;
        // A calendar in the second place of the tray, over two expirations.
        b.press("+ draft").await;
        let far = "NMOU:2031-06-20";
        b.press("expirations ▾").await;
        b.click("[aria-label='20 Jun under the rows']").await;
        b.keys(e2e::ESCAPE).await;
        b.find(&format!("[data-block='{far}'] [data-cell]")).await;
        b.click("[data-of='NMOU:2031-04-18'][data-cell='190-call-bid']")
            .await;
        b.run(&format!(
            "document.querySelector(\"[data-of='{far}'][data-cell='190-call-ask']\").click()"
        ))
        .await;
        b.until("[data-testid=structure-name]", "a calendar", |t| {
            t.starts_with("long call calendar")
        })
        .await;
        b.run("document.activeElement.blur()").await;
        b.click("[data-testid=tray-A]").await;
        b.keys("4").await;
        b.find("[data-testid=bench-outline]").await;
        b.keys("o").await;
        shot(&b, "bench").await;
        b.goto(&format!("{home}/rehearsal/drills")).await;
        b.press_starting("kept (").await;
        b.press_starting("Wexmoor condor").await;
        b.keys(e2e::ESCAPE).await;
        b.find("section[aria-label='Cycle 1']").await;
        b.find("table[aria-label=Cycles] tbody tr").await;
        shot(&b, "rehearsal").await;
        b.goto(&format!("{home}/lessons")).await;
        b.find("table[aria-label='Roads not taken']").await;
        b.select("[aria-label='divided by']", "symbol").await;
        shot(&b, "lessons").await;
        for (view, there) in [("rounds", "[data-ask]"), ("rules", "section li")] {
            b.goto(&format!("{home}/{view}")).await;
            b.find(there).await;
            shot(&b, view).await;
        }
        for view in ["orders", "book", "ledger"] {
            b.goto(&format!("{home}/{view}")).await;
            b.find("main table tbody tr").await;
            shot(&b, view).await;
        }
        b.goto(&format!("{home}/scout")).await;
        b.find("main table tbody tr").await;
        shot(&b, "scout").await;
        b.goto(&format!("{home}/scout/expect/NMOU")).await;
        b.write("[aria-label=From]", "180").await;
        b.write("[aria-label=To]", "205").await;
        b.write("[aria-label='Sure, percent']", "60").await;
        b.press("look").await;
        b.until("[data-testid=judged]", "what was judged", |t| {
            t.contains(" as of ")
        })
        .await;
        shot(&b, "scout-expect").await;
        b.goto(&format!("{home}/balance")).await;
        b.find("[data-testid=book-even]").await;
        b.until("[aria-label='Moves of the index']", "its margins", |t| {
            t.contains(".00") || t.matches(',').count() > 40
        })
        .await;
        shot(&b, "balance").await;
        b.goto(&format!("{home}/book")).await;
        b.find("main table tbody tr").await;
        b.run(
            "[...document.querySelectorAll('main a')].find((a) => \
             a.textContent.includes('bear call vertical')).click()",
        )
        .await;
        b.find("[data-stretch]").await;
        shot(&b, "campaign").await;
        b.press("rework").await;
        b.until("[aria-label='In words and money']", "as it is held", |t| {
            t.contains("Nothing is changed yet")
        })
        .await;
        b.run(
            "[...document.querySelectorAll('section[aria-label=Moves] button')].filter((x) => \
             x.textContent === 'later')[1].click()",
        )
        .await;
        b.until("[data-testid=rework-change]", "a roll", |t| {
            t.contains("opens")
        })
        .await;
        shot(&b, "rework").await;
        b.keep("theme", &json!({ "theme": "night" })).await;
        b.goto(&format!("{home}/chain/NMOU")).await;
        b.find("[data-testid=structure-name]").await;
        shot(&b, "chain-night").await;
    })
    .await;
    own_market().await;
}

/// The demo's rows as a market of one's own: its feed has stopped.
async fn own_market() {
    let folder = tempfile::tempdir().unwrap_or_else(|e| panic!("a folder: {e}"));
    let market = folder.path().join("my-market");
    let keep = |path: &std::path::Path, rows: &[u8]| {
        std::fs::write(path, rows).unwrap_or_else(|e| panic!("{}: {e}", path.display()));
    };
    let mut rows = Vec::new();
    for symbol in ["NMOU", "TLVN", "WXMR"] {
        let own = market.join(symbol);
        std::fs::create_dir_all(&own).unwrap_or_else(|e| panic!("{}: {e}", own.display()));
        let of = ["--symbol", symbol, "--at", "2031-03-11T10:41"];
        keep(
            &own.join("instrument.csv"),
            &command(&[&["export", "instrument"][..], &of].concat(), &[]),
        );
        keep(
            &own.join("events.csv"),
            &command(&[&["export", "events"][..], &of].concat(), &[]),
        );
        let bars = [
            "export",
            "bars",
            "--symbol",
            symbol,
            "--from",
            "2030-01-02",
            "--at",
            "2031-03-10",
        ];
        keep(&own.join("bars.csv"), &command(&bars, &[]));
        rows.extend(command(&[&["export", "chain"][..], &of].concat(), &[]));
    }
    // Quotes as they are found outside: one crossed, one far off, one that nobody makes.
    let odd = |line: &str| -> String {
        let mut cells: Vec<&str> = line.split(',').collect();
        let sides = match cells.first() {
            Some(&"NMOU  310418C00200000") => Some((cells[8], cells[7])),
            Some(&"NMOU  310418P00175000") => Some(("15.40", "15.60")),
            Some(&"NMOU  310418C00170000") => Some(("", "")),
            _ => None,
        };
        if let Some((bid, ask)) = sides {
            (cells[7], cells[8]) = (bid, ask);
        }
        cells.join(",")
    };
    let text = String::from_utf8_lossy(&rows).into_owned();
    let text: String = text.lines().map(|l| odd(l) + "\n").collect();
    let feed = |market: &std::path::Path, text: &str| {
        let into = market.to_string_lossy().into_owned();
        command(&["feed", "--into", &into], text.as_bytes());
    };
    feed(&market, &text);
    let data = folder.path().join("own.db");
    in_browser(move |b| async move {
        let program = Program::serve_market(&data, &market);
        b.enter(&program).await;
        b.goto(&format!("{}/chain/NMOU", program.door.address))
            .await;
        b.find("[data-cell]").await;
        feed(&market, &text.replace("T10:41", "T10:42"));
        b.until("[data-testid=clock]", "the new moment", |t| {
            t.contains("10:42:00")
        })
        .await;
        let limit = json!({ "staleAfter": 1 });
        b.tell("/api/feed", limit).await;
        b.until("[data-testid=feed]", "that it is silent", |t| {
            t.contains("silent")
        })
        .await;
        b.click("[data-testid=feed]").await;
        shot(&b, "own-market").await;
    })
    .await;
}

/// What stands beside the rows.
async fn beside(b: &Browser, what: &str) {
    b.press("show ▾").await;
    b.press(what).await;
    b.keys(e2e::ESCAPE).await;
    b.run("document.activeElement.blur()").await;
}

async fn shot(b: &Browser, name: &str) {
    let folder = root().join("docs/screenshots");
    std::fs::create_dir_all(&folder).unwrap_or_else(|e| panic!("{}: {e}", folder.display()));
    b.run_async("document.fonts.ready.then(arguments[0])").await;
    tokio::time::sleep(Duration::from_millis(900)).await;
    b.shot(&folder.join(format!("{name}.png"))).await;
    println!("docs/screenshots/{name}.png");
}
