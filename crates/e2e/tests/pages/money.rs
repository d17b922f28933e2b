//! Orders and money in a browser: a warning that is ticked, easing, size, ties, bells, the margin
//! sheet, the balance, a roll, several positions closed at once, files. axe looks at every new view
//! in both themes.

use e2e::{Browser, DELETE, ESCAPE, Program, UP, in_browser};
use serde_json::{Value, json};

/// A draft in the first place of the tray.
async fn draft(b: &Browser, symbol: &str, legs: Value) {
    b.tell_by(
        "PUT",
        "/api/drafts/A",
        json!({ "symbol": symbol, "legs": legs }),
    )
    .await;
}

async fn working(b: &Browser, limit: &str, id: &str) -> u64 {
    let legs = json!([
        { "contract": "NMOU  310418C00205000", "quantity": -1 },
        { "contract": "NMOU  310418C00210000", "quantity": 1 },
    ]);
    let order = json!({
        "clientId": id,
        "symbol": "NMOU",
        "legs": legs,
        "quantity": 2,
        "limit": limit,
        "timeInForce": "goodTillCancelled",
    });
    let placed = b.tell("/api/orders", order).await;
    placed["id"].as_u64().unwrap_or_else(|| panic!("{placed}"))
}

#[tokio::test(flavor = "multi_thread")]
async fn orders_and_money() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("demo.db");
    in_browser(move |b| async move {
        let program = Program::demo(&data, 0);
        let home = program.door.address.clone();
        b.enter(&program).await;
        b.find("[data-cell]").await;

        // The balance: parts that add up, kinds, levels, and a refusal in words.
        b.goto(&format!("{home}/balance/account")).await;
        let balance = b
            .until("main", "the balance", |t| {
                t.contains("buying power for shares") && t.contains("TNYBM1")
            })
            .await;
        for words in [
            "scan plus exposure",
            "1 × 92 call on the shares",
            "If the market moves",
            "of 3 free day trades in 5 sessions",
            "Interest is left out",
        ] {
            assert!(balance.contains(words), "{words}: {balance}");
        }
        b.accessible("balance").await;
        b.press("portfolio").await;
        b.until("[role=alert]", "a refusal", |t| {
            t.contains(
                "portfolio rules need an account of \
            100,000.00",
            )
        })
        .await;
        b.write("#pay-in", "50000").await;
        b.press("Pay in").await;
        b.until("main", "paid in", |t| {
            t.contains("110,") || t.contains("111,")
        })
        .await;
        b.press("portfolio").await;
        b.until("main", "under portfolio rules", |t| {
            t.contains("worst theoretical loss")
        })
        .await;
        b.press("margin").await;
        b.until("main", "under strategy rules", |t| {
            t.contains("against 175 put")
        })
        .await;

        // A warning has to be ticked before an order goes in.
        draft(
            &b,
            "SKRY",
            json!([
                { "contract": "SKRY  310418P05600000", "quantity": -1 },
                { "contract": "SKRY  310418C07100000", "quantity": -1 },
            ]),
        )
        .await;
        b.goto(&format!("{home}/chain/SKRY")).await;
        b.until("[data-testid=structure-name]", "a strangle", |t| {
            t.starts_with("short strangle")
        })
        .await;
        b.keys("t").await;
        b.until("[data-testid=fill-chance]", "a chance", |t| {
            t.ends_with('%')
        })
        .await;
        b.click("[role=dialog] [aria-label^='margin sheet of']")
            .await;
        b.until("[role=dialog] h3", "the sheet", |t| {
            t.contains("by scan plus exposure")
        })
        .await;
        let sheet = b
            .until("body", "the sheet", |t| {
                t.contains("combining saves") && t.contains("exposure of 2 sold")
            })
            .await;
        assert!(
            sheet.contains("must be there when the order goes in"),
            "{sheet}"
        );
        b.accessible("margin sheet").await;
        b.keys(ESCAPE).await;
        b.press("Read back").await;
        b.until("[aria-label=Checks]", "a warning", |t| {
            t.contains("the loss has no limit")
        })
        .await;
        // It cannot be placed before the warning is ticked.
        let button = |state: &str| format!("[data-testid=place][aria-disabled={state}]");
        b.find(&button("true")).await;
        b.run(
            "document.querySelectorAll('[aria-label=Checks] input[type=checkbox]').forEach((x) \
               => x.click())",
        )
        .await;
        b.find(&button("false")).await;
        b.accessible("read back with a warning").await;
        b.keys(ESCAPE).await;

        // Easing is started and stopped; the size is changed; two orders are tied by picking them.
        let (one, other) = (
            working(&b, "-9.00", "one").await,
            working(&b, "-9.50", "other").await,
        );
        b.goto(&format!("{home}/orders")).await;
        b.click(&format!("[aria-label='change, cancel order {one}']"))
            .await;
        b.until("[data-testid=fill-chance]", "no chance", |t| t == "0 %")
            .await;
        b.write("[aria-label='Step of easing']", "0.05").await;
        b.press("Start easing").await;
        b.until("[data-testid=easing]", "eased", |t| {
            t.starts_with("Easing by 0.05 every 30 s to")
        })
        .await;
        b.accessible("an order that is eased").await;
        b.press("Stop easing").await;
        b.write("#resize", "3").await;
        b.press("Change size").await;
        b.until("[aria-label='What happened']", "changed", |t| {
            t.contains("easing stopped") && t.contains("1 more asked for")
        })
        .await;
        b.write("#resize", "2").await;
        b.press("Change size").await;
        b.until("[aria-label='What happened']", "changed back", |t| {
            t.contains("1 fewer asked for")
        })
        .await;
        b.keys(ESCAPE).await;
        for id in [one, other] {
            b.click(&format!("[aria-label='pick order {id}']")).await;
        }
        b.press_starting(&format!("once {one} fills")).await;
        b.until("[aria-label=Working]", "tied", |t| {
            t.contains(&format!(
                "waits for order {one} to \
            fill"
            ))
        })
        .await;
        b.accessible("orders that are tied").await;
        b.click(&format!("[aria-label='change, cancel order {other}']"))
            .await;
        b.press("Untie").await;
        b.until("[data-testid=order-state]", "working again", |t| {
            t == "working"
        })
        .await;
        b.keys(ESCAPE).await;

        // Bells: one is set, rings as time passes, says so without taking the keyboard, and is
        // answered.
        let spot = b.api("/api/chain/WXMR").await["head"]["level"]
            .as_f64()
            .unwrap_or(0.0);
        b.click("[data-testid=bells]").await;
        b.until("[aria-label=Ringing]", "what rang", |t| {
            t.contains("VXLO at or above")
        })
        .await;
        b.accessible("bells").await;
        b.select("[aria-label='Symbol of the bell']", "WXMR").await;
        b.write(
            "[aria-label='Level of the bell']",
            &format!("{:.2}", spot - 500.0),
        )
        .await;
        b.press("Set the bell").await;
        b.until("[role=alert]", "a refusal", |t| t.contains("already"))
            .await;
        b.write(
            "[aria-label='Level of the bell']",
            &format!("{:.2}", spot + 4.0),
        )
        .await;
        b.press("Set the bell").await;
        b.until("[aria-label=Set]", "set", |t| {
            t.contains("WXMR at or above")
        })
        .await;
        b.keys(ESCAPE).await;
        for _ in 0..6 {
            b.tell("/api/clock", json!({ "step": "minute" })).await;
        }
        let bells = b.api("/api/bells").await;
        let ours = |x: &&Value| x["listens"].as_str().is_some_and(|l| l.starts_with("WXMR"));
        if bells
            .as_array()
            .into_iter()
            .flatten()
            .find(ours)
            .is_some_and(|x| x["rings"] == true)
        {
            b.until("body", "told", |t| t.contains("WXMR at or above"))
                .await;
        }
        b.click("[data-testid=bells]").await;
        b.click("[aria-label^='answer: VXLO']").await;
        b.until("[data-testid=bells]", "answered", |t| {
            t.starts_with("bells")
        })
        .await;
        b.keys(ESCAPE).await;

        // A bell stands over the rows; the arrows move it, Delete takes it away.
        b.goto(&format!("{home}/chain/NMOU")).await;
        b.until("[data-bell] button", "a bell", |t| t == "bell 195.00")
            .await;
        b.accessible("a bell over the rows").await;
        b.run("document.querySelector('[data-bell] button').focus()")
            .await;
        b.keys(UP).await;
        b.until("[data-bell] button", "moved", |t| {
            t.starts_with("bell 195.") && t != "bell 195.00"
        })
        .await;
        b.run("document.querySelector('[data-bell] button').focus()")
            .await;
        b.keys(DELETE).await;
        b.until(
            "[aria-label='Option chain'], main",
            "none over the rows",
            |t| !t.contains("bell 195."),
        )
        .await;
        let kept = b.api("/api/bells").await;
        let of_it = |x: &&Value| x["symbol"] == "NMOU" && x["isSet"] == true;
        assert_eq!(kept.as_array().into_iter().flatten().find(of_it), None);

        // A closing ticket draws what is left; it rolls; several positions close at once.
        b.goto(&format!("{home}/book")).await;
        b.click("[aria-label^='close half of TKZR']").await;
        b.until("[data-testid=after]", "what is left", |t| {
            t.contains(
                "Left afterwards: 2 × bull \
            put vertical",
            )
        })
        .await;
        b.accessible("closing ticket").await;
        b.click("[aria-label='Close or roll'] button:last-child")
            .await;
        b.select("#roll-to", "2031-05-16").await;
        b.until("[data-testid=ticket-name]", "a roll", |t| {
            t.starts_with("roll bull put vertical")
        })
        .await;
        b.accessible("rolling ticket").await;
        b.keys(ESCAPE).await;
        for name in ["TKZR bull put vertical", "ZORV bear call vertical"] {
            b.click(&format!("[aria-label='pick {name} to close']"))
                .await;
        }
        b.write("[aria-label='how many of TKZR bull put vertical']", "1")
            .await;
        b.until("main", "picked", |t| {
            t.contains(
                "Close 1 × ZORV bear call vertical, 1 × TKZR \
            bull put vertical",
            )
        })
        .await;
        b.press("cross").await;
        b.accessible("closing several").await;
        // The demo's own target closes all of TKZR already: nothing is sent until it is gone, and
        // the refusal says which.
        b.press("Place 2 closing orders").await;
        b.until("[role=alert]", "a refusal", |t| {
            t.contains(
                "that no order closes yet; cancel \
            order",
            )
        })
        .await;
        let orders = b.api("/api/orders").await;
        let ours = |o: &&Value| o["open"] == true && o["symbol"] == "TKZR";
        for order in orders.as_array().into_iter().flatten().filter(ours) {
            b.tell(&format!("/api/orders/{}/cancel", order["id"]), json!({}))
                .await;
        }
        b.press("Place 2 closing orders").await;
        b.until("main", "closed", |t| {
            t.contains("2 × bull put vertical")
                && !t.contains(
                    "bear \
            call vertical",
                )
        })
        .await;

        // Files: out by links, in whole or not at all.
        b.goto(&format!("{home}/ledger")).await;
        b.until("[data-testid=reconciled]", "reconciled", |t| {
            t.ends_with(
                "It reconciles to the \
            cent.",
            )
        })
        .await;
        let give = "
            const input = document.querySelector('input[type=file]');
            const files = new DataTransfer();
            const rows = 'fill,at,symbol,instrument,quantity,price\\n\
                x,2031-03-11T10:42,NMOU,NMOU,ten,1\\n';
            files.items.add(new File([rows], 'mine.csv'));
            input.files = files.files;
            input.dispatchEvent(new Event('change', { bubbles: true }));";
        b.run(give).await;
        b.until("[role=alert]", "problems", |t| {
            t.contains("Nothing of mine.csv is booked") && t.contains("line 2: quantity")
        })
        .await;
        b.accessible("ledger with a refused file").await;
        let complaints = b.complaints().await;
        assert!(
            complaints.iter().all(|c| c.contains("422")),
            "{complaints:?}"
        );
        drop(program);
    })
    .await;
}
