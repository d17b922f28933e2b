//! Nothing is sent that is not on the screen, and the screen says where it stands.

use std::process::Command;
use std::time::{Duration, Instant};

use e2e::{Browser, ENTER, ESCAPE, Program, in_browser};
use serde_json::{Value, json};

/// Clicks a price of the first call of the chain and presses `t` in the same instant, before any
/// answer can be there.
async fn clicks_and_asks_for_the_ticket(b: &Browser, nth: usize) -> String {
    let script = format!(
        "const cell = [...document.querySelectorAll('[data-cell$=call-ask]')].filter((c) =>
            c.checkVisibility() && c.textContent.trim() !== '')[{nth}];
         const strike = cell.getAttribute('data-cell').split('-')[0];
         cell.click();
         return new Promise((done) => setTimeout(() => {{
           document.body.dispatchEvent(new KeyboardEvent('keydown', {{ key: 't', bubbles: true }}));
           done(strike);
         }}, 0));"
    );
    b.run(&script).await.as_str().unwrap_or_default().to_owned()
}

async fn orders(b: &Browser) -> Vec<Value> {
    b.api("/api/orders")
        .await
        .as_array()
        .cloned()
        .unwrap_or_default()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_is_sent_is_what_is_shown() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("own.db");
    in_browser(move |b| async move {
        let program = Program::serve(&data, 0);
        b.enter(&program).await;
        b.find("[data-cell]").await;

        // A ticket has the legs of the draft at the moment it was asked for.
        let strike = clicks_and_asks_for_the_ticket(&b, 2).await;
        b.until("[data-testid=ticket-name]", "the leg just clicked", |t| {
            t.contains(strike.trim_end_matches(".00"))
        })
        .await;
        b.keys(ESCAPE).await;
        let second = clicks_and_asks_for_the_ticket(&b, 5).await;
        b.until("[data-testid=ticket-name]", "both legs", |t| {
            let shown = |s: &str| t.contains(s.trim_end_matches(".00"));
            shown(&strike) && shown(&second)
        })
        .await;

        // Tray, summary and ticket tell one price.
        b.keys(ESCAPE).await;
        let same = "const price = (css) => (document.querySelector(css)?.textContent ?? '')
              .match(/([\\d.]+) (?:db|cr|debit|credit)/)?.[1];
            const [a, b] = [price('[data-testid=tray-A]'), price('section[aria-label=Draft]')];
            return a !== undefined && a === b;";
        for _ in 0..10 {
            assert_eq!(b.run(same).await, json!(true), "one draft has one price");
            tokio::time::sleep(Duration::from_millis(100)).await;
        }

        // Enter held down from the quantity on reads back once, and places nothing.
        b.keys("t").await;
        b.find("#quantity").await;
        b.until("form", "an answer to send", |t| t.contains("Read back"))
            .await;
        b.run("document.querySelector('#quantity').focus()").await;
        b.hold_enter(30).await;
        b.until("[role=dialog]", "the read-back", |t| {
            t.contains("Place order")
        })
        .await;
        b.hold_enter(0).await;
        b.until("[data-testid=order-state]", "a fresh press places", |t| {
            !t.is_empty()
        })
        .await;
        assert_eq!(orders(&b).await.len(), 1, "one press, one order");
        b.keys(ESCAPE).await;

        // Cancel all says what became of each.
        let leg = json!([{ "contract": "NMOU", "quantity": 1 }]);
        for i in 0..3 {
            b.tell(
                "/api/orders",
                json!({
                    "clientId": format!("far-{i}"), "symbol": "NMOU", "legs": leg,
                    "quantity": 1, "limit": "50.00", "timeInForce": "day",
                }),
            )
            .await;
        }
        b.goto(&format!("{}/orders", program.door.address)).await;
        b.press_starting("Cancel all").await;
        b.press_starting("Cancel all").await;
        let said = b
            .until("main", "what became of each", |t| {
                t.contains("What became of the orders")
            })
            .await;
        assert!(said.matches(": cancelled").count() >= 3, "{said}");
        assert!(orders(&b).await.iter().all(|o| o["open"] == json!(false)));
    })
    .await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn where_it_stands_is_told() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("own.db");
    in_browser(move |b| async move {
        let program = Program::serve(&data, 0);
        let home = program.door.address.clone();
        b.enter(&program).await;
        b.find("[data-cell]").await;

        // Drafts that cannot be read keep nobody from the chain, and are read later.
        b.block(&["*/api/drafts"]).await;
        b.goto(&format!("{home}/chain/NMOU")).await;
        b.find("[data-cell]").await;
        b.until("main [role=status]", "why no draft can be changed", |t| {
            t.contains("drafts cannot be read (the program does not answer)")
        })
        .await;
        b.block(&[]).await;
        gone(&b, "drafts cannot be read").await;

        // A list that cannot be read is not an empty list.
        b.block(&["*/api/orders"]).await;
        b.goto(&format!("{home}/orders")).await;
        b.until("main", "that it cannot be read", |t| {
            t.contains("The orders cannot be read") && !t.contains("Nothing is working")
        })
        .await;
        b.block(&[]).await;
        b.press("Try again").await;
        b.until("main", "an empty list", |t| {
            t.contains("Nothing is working")
        })
        .await;

        // A connection that says nothing any more is noticed within ten seconds, and mended.
        signal(&program, "-STOP");
        let silent = Instant::now();
        b.until("main [role=status]", "that nobody answers", |t| {
            t.contains("does not answer")
        })
        .await;
        println!(
            "a silent connection was noticed after {:.1?}",
            silent.elapsed()
        );
        assert!(silent.elapsed() < Duration::from_secs(15));
        signal(&program, "-CONT");
        gone(&b, "does not answer").await;
        b.keys(ENTER).await;
    })
    .await;
}

/// A view that fails says so in its own place; the rest, an open ticket above all, goes on.
#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_fault_of_a_view_stays_its_own() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("own.db");
    in_browser(move |b| async move {
        let program = Program::serve(&data, 0);
        b.enter(&program).await;
        b.replace_answers("/api/ledger", "{}").await;
        b.goto(&format!("{}/chain/NMOU", program.door.address))
            .await;
        b.find("[data-cell]").await;
        let strike = clicks_and_asks_for_the_ticket(&b, 2).await;
        let leg = strike.trim_end_matches(".00").to_owned();
        b.until("[data-testid=ticket-name]", "the leg", |t| t.contains(&leg))
            .await;
        b.click("nav a[href='/ledger']").await;
        b.until("main", "that the view failed", |t| {
            t.contains("This view cannot be shown")
        })
        .await;
        let ticket = b.text("[data-testid=ticket-name]").await;
        assert!(ticket.contains(&leg), "the ticket is still open: {ticket}");
        b.click("nav a[href='/orders']").await;
        b.until("main", "another view", |t| t.contains("Nothing is working"))
            .await;
        b.until("[data-testid=buying-power]", "a figure", |t| !t.is_empty())
            .await;

        // Enter in the rule about risk keeps the rule, and reads no order back.
        b.write("[aria-label='My rule about risk'] input", "5")
            .await;
        b.keys(ENTER).await;
        b.until("[role=dialog]", "the rule is kept", |t| !t.contains("keep"))
            .await;
        b.says("[role=dialog]", &["Read back"]).await;
        let rules = b.api("/api/rules").await["rules"].clone();
        assert!(
            rules
                .as_array()
                .unwrap()
                .iter()
                .any(|r| { r["rule"]["measure"] == "trade_risk" && r["rule"]["limit"] == "5" }),
            "{rules}"
        );
        assert!(orders(&b).await.is_empty());
    })
    .await;
}

/// Waits until the status line says this no more.
async fn gone(b: &Browser, words: &str) {
    let script = format!(
        "return [...document.querySelectorAll('main [role=status]')].every((s) =>
            !s.textContent.includes('{words}'));"
    );
    let began = Instant::now();
    while b.run(&script).await != json!(true) {
        assert!(began.elapsed() < Duration::from_secs(30), "still: {words}");
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
}

fn signal(program: &Program, what: &str) {
    let sent = Command::new("kill")
        .args([what, &program.id().to_string()])
        .status();
    assert!(sent.is_ok_and(|s| s.success()), "kill {what}");
}
