//! Three traders look after a pressed position: the pressed side is rolled, the quiet side closed,
//! a wing bought, half taken off; each judged before it is sent, and the book says the same.

use e2e::{Browser, Program, in_browser};
use serde_json::Value;

async fn campaign_of(b: &Browser, symbol: &str) -> Value {
    let book = b.api("/api/book").await;
    let all = book["positions"].as_array().cloned().unwrap_or_default();
    let found = all.into_iter().find(|p| p["symbol"] == symbol);
    found.unwrap_or_else(|| panic!("no campaign in {symbol}"))
}

/// Opens the rework of a campaign and waits until it is judged as it is held.
async fn open(b: &Browser, home: &str, campaign: &Value) {
    b.goto(&format!("{home}/campaign/{campaign}")).await;
    b.find("[data-stretch]").await;
    b.press("rework").await;
    b.until("[aria-label='In words and money']", "as it is held", |t| {
        t.contains("Nothing is changed yet")
    })
    .await;
}

/// Presses a button of a group of moves.
async fn step(b: &Browser, group: &str, name: &str) {
    let press = format!(
        "const head = [...document.querySelectorAll('section[aria-label=Moves] h2')].find((h) => \
           h.textContent === '{group}');
         const button = [...head.parentElement.querySelectorAll('button')].find((x) =>
           x.textContent === '{name}' &&
           head.compareDocumentPosition(x) & Node.DOCUMENT_POSITION_FOLLOWING);
         button.click();"
    );
    b.run(&press).await;
}

/// Sends what is shown at its cross, and waits until it is filled.
async fn send(b: &Browser) {
    b.keys("t").await;
    b.until("[data-ticket]", "its market", |t| {
        t.contains("buying power after")
    })
    .await;
    b.press("market").await;
    b.until("[data-ticket]", "an order at the market", |t| {
        t.contains("Read back")
    })
    .await;
    b.press("Read back").await;
    b.find("[data-ticket] [aria-label=Checks]").await;
    let tick = "for (const box of document.querySelectorAll('[data-ticket] [aria-label=Checks] \
                input[type=checkbox]')) if (!box.checked) box.click();";
    b.run(tick).await;
    b.press_starting("Place").await;
    b.until("[data-ticket]", "filled", |t| t.contains("filled"))
        .await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn three_traders_look_after_a_position() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("demo.db");
    in_browser(move |b| async move {
        let program = Program::demo(&data, 0);
        b.enter(&program).await;
        b.find("[data-cell]").await;
        let home = program.door.address.clone();

        // The condor: its pressed side goes a month on for a credit; undo and redo on the way.
        let condor = campaign_of(&b, "VXLO").await;
        let id = condor["campaign"].clone();
        open(&b, &home, &id).await;
        b.accessible("rework").await;
        step(&b, "The pressed side", "later").await;
        b.until("[data-testid=rework-change]", "a roll", |t| {
            t.contains("closes buy 1 × 930 call") && t.contains("opens sell 1 × 930 call, 16 May")
        })
        .await;
        b.keys("z").await;
        b.until("[aria-label='In words and money']", "undone", |t| {
            t.contains("Nothing is changed yet")
        })
        .await;
        b.keys("Z").await;
        b.until("[data-testid=rework-change]", "again", |t| {
            t.contains("16 May")
        })
        .await;
        b.accessible("rework, changed").await;
        // Another way beside it: the quiet side is closed.
        b.press("+ another way").await;
        step(&b, "The quiet side", "close it").await;
        b.until("[data-testid=rework-change]", "the puts", |t| {
            t.contains("closes sell 1 × 550 put") && !t.contains("opens")
        })
        .await;
        b.press("way 1").await;
        b.until("[data-testid=rework-change]", "the first way", |t| {
            t.contains("16 May") && t.contains("credit")
        })
        .await;
        // A stop waits to close the same: that is said before anything is sent.
        b.until(
            "[data-testid=rework-change]",
            "what stands in the way",
            |t| t.contains("waits to close"),
        )
        .await;

        // Asked for ways out, that stop is in the way of all of them; without it there are some, and
        // one is taken over and judged.
        b.press("Look for ways out").await;
        b.until("section[aria-label='Ways out']", "the stop", |t| {
            t.contains("waits to close some of what is held")
        })
        .await;
        b.accessible("ways out").await;
        let found = b
            .tell(&format!("/api/campaigns/{id}/ways"), serde_json::json!({}))
            .await;
        for order in found["waiting"].as_array().into_iter().flatten() {
            let path = format!("/api/orders/{order}/cancel");
            b.tell(&path, serde_json::json!({})).await;
        }
        b.write("[aria-label='Received at least']", "0").await;
        b.write("[aria-label='Max loss at most']", "6000").await;
        b.press("Look for ways out").await;
        b.find("table[aria-label='Ways out'] tbody tr").await;
        b.accessible("ways out, found").await;
        let first = b.text("table[aria-label='Ways out'] tbody th").await;
        b.press("take").await;
        b.until("[aria-label='In words and money']", "the way", |t| {
            t.contains(&first)
        })
        .await;
        b.until("[data-testid=rework-change]", "for a credit", |t| {
            t.contains("credit")
        })
        .await;

        // The vertical gone against its owner: its page says what made its loss; rolled a month on, in
        // the same campaign.
        let vertical = campaign_of(&b, "ZORV").await;
        let id = vertical["campaign"].clone();
        b.goto(&format!("{home}/campaign/{id}")).await;
        b.until("[data-testid=coming]", "what is coming", |t| {
            t.contains("If the price is still")
        })
        .await;
        b.until(
            "section[aria-label='What made its profit']",
            "its parts",
            |t| t.contains("in all") && t.contains("rolled"),
        )
        .await;
        open(&b, &home, &id).await;
        step(&b, "The pressed side", "later").await;
        b.until("[data-testid=rework-change]", "a roll", |t| {
            t.contains("opens sell 1 × 580 call")
        })
        .await;
        send(&b).await;
        let after = campaign_of(&b, "ZORV").await;
        assert_eq!(after["campaign"], id, "the campaign goes on");
        assert_ne!(after["expiry"], vertical["expiry"], "{after}");
        assert_eq!(after["legs"].as_array().map(Vec::len), Some(2));

        // The strangle's seller buys a wing: what had no limit has one.
        let strangle = campaign_of(&b, "TNYBM1").await;
        open(&b, &home, &strangle["campaign"]).await;
        b.until("[aria-label=Figures]", "no limit", |t| {
            t.contains("no limit")
        })
        .await;
        let call = "const leg = document.querySelector('select[aria-label=Leg]');
            const call = [...leg.options].find((o) => /call/.test(o.textContent));
            Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value').set.call(leg, \
            call.value);
            leg.dispatchEvent(new Event('change', { bubbles: true }));";
        b.run(call).await;
        step(&b, "One leg", "buy a wing").await;
        b.until("[data-testid=rework-change]", "the wing", |t| {
            t.contains("opens buy") && t.contains("call")
        })
        .await;

        // Instead half of it is taken off in the same place.
        b.keys("z").await;
        step(&b, "All of it", "fewer").await;
        b.until("[aria-label='In words and money']", "one is left", |t| {
            t.contains("1 × short strangle")
        })
        .await;
        send(&b).await;
        assert_eq!(campaign_of(&b, "TNYBM1").await["packages"], 1);
        drop(program);
    })
    .await;
}
