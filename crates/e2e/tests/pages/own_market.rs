//! A market of one's own in a browser: quotes come from a feed and move, a draft is made of them and an order
//! fills; the feed stops, which is told, and nothing is filled; it goes on, and what waited fills.

use std::path::Path;

use e2e::{Browser, Program, command, in_browser};

const SYMBOL: &str = "NMOU";

/// What describes the market, and a session of its past.
fn describe(market: &Path) {
    let own = market.join(SYMBOL);
    std::fs::create_dir_all(&own).expect("a folder");
    let of = ["--symbol", SYMBOL, "--at", "2031-03-10"];
    let keep = |what: &str, file: &str| {
        let rows = command(&[&["export", what], &of[..]].concat(), &[]);
        std::fs::write(own.join(file), rows).expect("a file");
    };
    keep("instrument", "instrument.csv");
    keep("bars", "bars.csv");
}

/// Feeds what the stand-in shows at a time of the day.
fn feed(market: &Path, time: &str) {
    let at = format!("2031-03-11T{time}");
    let rows = command(&["export", "chain", "--symbol", SYMBOL, "--at", &at], &[]);
    let into = market.to_string_lossy();
    command(&["feed", "--into", &into], &rows);
}

/// Sends what the ticket shows, at the market.
async fn send(b: &Browser) {
    b.until("[data-ticket]", "its market", |t| t.contains("Read back"))
        .await;
    b.press("market").await;
    b.press("Read back").await;
    b.find("[data-ticket] [aria-label=Checks]").await;
    let tick = "for (const box of document.querySelectorAll('[data-ticket] [aria-label=Checks] \
                input[type=checkbox]')) if (!box.checked) box.click();";
    b.run(tick).await;
    b.press_starting("Place").await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_feed_comes_stops_and_goes_on() {
    let folder = tempfile::tempdir().expect("a folder");
    let (data, market) = (folder.path().join("desk.db"), folder.path().join("mine"));
    in_browser(move |b| async move {
        describe(&market);
        feed(&market, "10:31");
        let program = Program::serve_market(&data, &market);
        b.enter(&program).await;
        let home = program.door.address.clone();
        b.goto(&format!("{home}/chain/{SYMBOL}")).await;
        b.find("[data-cell]").await;
        // Nothing has come since the program began: the page says so.
        b.until("[data-testid=feed]", "that nothing has come", |t| {
            t.contains("no feed yet")
        })
        .await;
        b.until("[data-testid=freshness]", "that quotes are old", |t| {
            t.contains("10:31:00") && t.contains("stale")
        })
        .await;

        // A moment comes: the clock stands at it, the price moves.
        let before = b
            .until("[data-testid=spot]", "a price", |t| !t.is_empty())
            .await;
        feed(&market, "10:42");
        b.until("[data-testid=clock]", "the new moment", |t| {
            t.contains("10:42:00")
        })
        .await;
        b.until("[data-testid=spot]", "another price", |t| t != before)
            .await;
        b.until("[data-testid=feed]", "when it came", |t| t.contains("ago"))
            .await;
        b.gone("[data-testid=freshness]").await;
        let rows = b.api(&format!("/api/chain/{SYMBOL}")).await;
        assert_eq!(rows["head"]["at"], "2031-03-11T10:42:00.000-05:00");

        // A vertical is clicked together and fills against the quotes that come next.
        let keys = "const cells = [...document.querySelectorAll('[data-cell$=put-bid]')];
            const half = Math.floor(cells.length / 2) + 3;
            cells[half].click();
            return cells[half + 3].dataset.cell.replace('bid', 'ask');";
        let far = b.run(keys).await;
        b.click(&format!(
            "[data-cell='{}']",
            far.as_str().unwrap_or_default()
        ))
        .await;
        b.until("[data-testid=sentence]", "a structure", |t| {
            t.contains("vertical")
        })
        .await;
        b.press("Ticket").await;
        send(&b).await;
        b.until("[data-ticket]", "that it waits for them", |t| {
            t.contains("working")
        })
        .await;
        feed(&market, "10:43");
        b.until("[data-ticket]", "filled", |t| t.contains("filled"))
            .await;
        b.keys(e2e::ESCAPE).await;

        // Quotes are stale after two seconds now: the feed has stopped, and that is told.
        b.click("[data-testid=feed]").await;
        b.write("[aria-label='quotes are stale after, in seconds']", "2")
            .await;
        b.press("set").await;
        b.until("[data-testid=feed]", "that it is silent", |t| {
            t.contains("silent for")
        })
        .await;
        b.accessible("the feed").await;
        b.keys(e2e::ESCAPE).await;
        b.until("[data-testid=freshness]", "that quotes are stale", |t| {
            t.contains("stale")
        })
        .await;
        b.press("Ticket").await;
        b.until("[data-ticket]", "why nothing is filled", |t| {
            t.contains("nothing has come from the feed for too long")
        })
        .await;
        send(&b).await;
        b.until("[data-ticket]", "that it works", |t| t.contains("working"))
            .await;
        b.keys(e2e::ESCAPE).await;
        b.goto(&format!("{home}/orders")).await;
        b.until("main", "that it waits", |t| {
            t.contains("waits") && !t.contains("Nothing is working")
        })
        .await;

        // It goes on: what waited fills against what came.
        feed(&market, "10:45");
        b.until("[data-testid=clock]", "the next moment", |t| {
            t.contains("10:45:00")
        })
        .await;
        b.until("main", "no order at work", |t| {
            t.contains("Nothing is working")
        })
        .await;
        let orders = b.api("/api/orders").await;
        let states: Vec<&str> = orders
            .as_array()
            .into_iter()
            .flatten()
            .filter_map(|o| o["state"].as_str())
            .collect();
        assert_eq!(states, ["filled", "filled"]);
        // The account's clock cannot be led; a rehearsal's can.
        let refused = b
            .tell("/api/clock", serde_json::json!({ "step": "hour" }))
            .await;
        assert!(
            refused["message"]
                .as_str()
                .is_some_and(|m| m.contains("follows its feed")),
            "{refused}"
        );
    })
    .await;
}
