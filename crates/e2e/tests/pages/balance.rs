//! The whole book in a browser: a hypothetical book of five in four symbols, with and without the real
//! one, mended into its band, and sent.

use e2e::{Browser, Program, in_browser};
use serde_json::{Value, json};

fn leg(contract: &str, quantity: i64) -> Value {
    json!({ "contract": contract, "quantity": quantity })
}

/// The lean as the page tells it.
async fn lean(b: &Browser) -> f64 {
    let told = b
        .until("[aria-label='The whole book'] tr", "a lean", |t| {
            t.contains("shares of WXMR")
        })
        .await;
    let number = told.split_whitespace().nth(1).unwrap_or_default();
    let number = number.replace('−', "-").replace(['+', ','], "");
    number.parse().unwrap_or_else(|_| panic!("{told}"))
}

/// Waits until the lean is another than it was.
async fn other_lean(b: &Browser, before: f64) -> f64 {
    for _ in 0..200 {
        let now = lean(b).await;
        if (now - before).abs() > 0.02 {
            return now;
        }
        tokio::time::sleep(std::time::Duration::from_millis(25)).await;
    }
    panic!("the lean stays {before}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_book_of_five_is_mended_and_sent() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("demo.db");
    in_browser(move |b| async move {
        let program = Program::demo(&data, 0);
        let home = program.door.address.clone();
        b.enter(&program).await;
        b.find("[data-cell]").await;
        // Prices stand, so that what changes is what is switched.
        b.tell("/api/clock", json!({ "running": false })).await;
        let put = |place: &'static str, symbol: &'static str, legs: Value| {
            let body = json!({ "symbol": symbol, "legs": legs });
            b.tell_by("PUT", place, body)
        };
        let calls = json!([leg("NMOU  310418C00205000", -2), leg("NMOU  310418C00210000", 2)]);
        put("/api/drafts/A", "NMOU", calls).await;
        let puts = json!([leg("TKZR  310418P00187500", -3), leg("TKZR  310418P00175000", 3)]);
        put("/api/drafts/B", "TKZR", puts).await;
        put("/api/drafts/C", "OSKV", json!([leg("OSKV", 200)])).await;
        let far = json!([leg("VXLO  310418C00930000", 1), leg("VXLO  310418C00980000", -1)]);
        put("/api/shelf/far%20calls", "VXLO", far).await;
        let late = json!([leg("NMOU  310418P00170000", -2), leg("NMOU  310418P00165000", 2)]);
        put("/api/shelf/late%20puts", "NMOU", late).await;
        b.goto(&format!("{home}/balance")).await;
        b.until("[data-testid=book-words]", "the book in words", |t| {
            t.starts_with("A fall of WXMR by 5 % loses")
        })
        .await;
        b.find("[data-testid=book-even]").await;
        let held = lean(&b).await;
        // Five drafts in four symbols, one by one.
        let mut now = held;
        for chip in [
            "NMOU draft A",
            "TKZR draft B",
            "OSKV draft C",
            "VXLO far calls",
            "NMOU late puts",
        ] {
            b.press(chip).await;
            now = other_lean(&b, now).await;
        }
        let both = now;
        // Without the real one, and with it again: what is left out and what is left add up.
        b.press_starting("held").await;
        let alone = other_lean(&b, both).await;
        assert!((both - held - alone).abs() < 0.02, "{held} {alone} {both}");
        b.press("who holds it").await;
        b.until("[aria-label='Parts of the book'] tbody", "five", |t| {
            t.contains("OSKV") && !t.contains("WXMR")
        })
        .await;
        let rows = "return document.querySelectorAll('[aria-label=\"Parts of the book\"] tbody tr').length";
        assert_eq!(b.run(rows).await, json!(5));
        b.accessible("a hypothetical book").await;
        // A cell opens to who makes and loses it.
        b.press("table of moves").await;
        b.click("[aria-label='Moves of the index'] tbody tr:first-child button")
            .await;
        b.until("[aria-label='Who makes and loses it']", "five names", |t| {
            t.contains("far calls") && t.contains("late puts")
        })
        .await;
        // Kept under a name.
        b.press_starting("paper portfolios").await;
        b.write("[aria-label='Name of the portfolio']", "five in four").await;
        b.press("keep 5").await;
        b.until("[aria-label='Paper portfolios']", "kept", |t| {
            t.contains("open five in four") && t.contains("5 drafts")
        })
        .await;
        b.keys(e2e::ESCAPE).await;
        b.press_starting("held").await;
        let whole = other_lean(&b, alone).await;
        assert!((whole - both).abs() < 0.02, "{whole} {both}");
        // Mended into its band.
        b.press("mend").await;
        b.write("section[aria-label=Mend] [aria-label=From]", "-2").await;
        b.write("section[aria-label=Mend] [aria-label=To]", "2").await;
        b.press("side effects").await;
        b.press("Look for it").await;
        b.until("[data-testid=mend-found]", "how many were looked at", |t| {
            t.contains("changes looked at over WXMR")
        })
        .await;
        b.accessible("changes that mend the book").await;
        b.press("on the map").await;
        b.find("[data-testid=book-even-before]").await;
        let tried = other_lean(&b, whole).await;
        assert!((-2.0..=2.0).contains(&tried), "{tried}");
        // One click makes the draft and its ticket, and the ticket is sent.
        b.click("[aria-label='Changes that mend it'] tbody tr:first-child td:last-child button:last-child")
            .await;
        let there = other_lean(&b, whole).await;
        assert!((there - tried).abs() < 0.02, "{there} {tried}");
        b.press("Read back").await;
        b.press("Place order").await;
        b.until("[data-testid=order-state]", "sent", |t| {
            t == "working" || t == "filled"
        })
        .await;
        drop(program);
    })
    .await;
}
