//! Three traders at the desk, each from a blank draft to the ticket: what they see must be what
//! they meant.

use e2e::{Browser, ENTER, ESCAPE, Program, in_browser};
use serde_json::json;

/// The figures of the bench's Money table, by name.
async fn money(b: &Browser, name: &str) -> f64 {
    let script = format!(
        "const row = [...document.querySelectorAll('[aria-label=\"In words and money\"] th')].find((t) => t.textContent === \
            '{name}');
         return row ? row.nextElementSibling.textContent : '';"
    );
    let text = b.run(&script).await;
    text.as_str()
        .unwrap_or_default()
        .replace('−', "-")
        .replace(',', "")
        .parse()
        .unwrap_or_else(|e| panic!("{name} {text}: {e}"))
}

/// The profit that the read-out tells after a word.
async fn read(b: &Browser, word: &str) -> f64 {
    let text = b.text("[data-testid=read-out]").await;
    let after = text
        .split(word)
        .nth(1)
        .unwrap_or_else(|| panic!("no {word} in {text}"));
    let figure = after.split_whitespace().next().unwrap_or_default();
    figure
        .replace('−', "-")
        .replace([',', '+'], "")
        .parse()
        .unwrap_or_else(|e| panic!("{figure} of {text}: {e}"))
}

/// An empty place of the tray, and the chain of a symbol.
async fn new_draft(b: &Browser, symbol: &str) {
    b.press("+ draft").await;
    b.keys("/").await;
    b.find("[aria-label='Symbol, view or command']").await;
    b.keys(symbol).await;
    b.keys(ENTER).await;
    b.until("main", "its chain", |t| {
        t.contains(symbol) && t.contains("Click an ask to buy")
    })
    .await;
    b.find("[data-cell]").await;
}

/// Owns 350 shares' worth of a view and wants a floor under them: three puts cover 300, and the
/// words say so.
async fn careful_buyer(b: &Browser) {
    new_draft(b, "NMOU").await;
    b.press("build ▾").await;
    b.press("protection").await;
    b.until("[aria-label='Build a draft']", "protective puts", |t| {
        t.contains("protective put") && t.contains("Shares with a floor")
    })
    .await;
    b.accessible("ideas").await;
    b.click("[data-idea='protective put']").await;
    b.until("[data-testid=structure-name]", "a protective put", |t| {
        t.starts_with("protective put")
    })
    .await;
    b.keys("e").await;
    b.find("[data-testid=bench-outline]").await;
    b.write("[aria-label='how many of the NMOU']", "350").await;
    b.write("[data-bench-leg*='P00'] input", "3").await;
    b.until("h1", "told to cover a part", |t| {
        t.contains("protective put on part of the shares")
    })
    .await;
    let words = b
        .until("[data-testid=bench-words]", "in money", |t| {
            t.contains("no limit as the price rises") && t.contains("you pay")
        })
        .await;
    assert!(
        words.contains("Most you can lose:") && words.contains("Break-even at"),
        "{words}"
    );
    // Half the shares' value is needed, the puts in full, and saving is told against the legs
    // alone.
    assert!(
        money(b, "needed for the order").await > 30_000.0
            && money(b, "less by being together").await >= 0.0
    );
    b.press("compare").await;
    b.until("main", "the shares beside it", |t| {
        t.contains("long shares") && t.contains("leverage")
    })
    .await;
    b.write("section label input", "150").await;
    let least = "const cells = [...document.querySelectorAll('[aria-label=\"Comparison at my \
        target\"] tr')].find((r) => r.textContent.startsWith('max \
        loss')).querySelectorAll('td');
        return [...cells].map((c) => c.textContent.includes('best'));";
    assert_eq!(
        b.run(least).await,
        json!([true, false]),
        "with a floor less is to lose than with the shares"
    );
    b.press("outline").await;
    b.keys("t").await;
    b.until("[data-testid=ticket-name]", "the same", |t| {
        t.contains("protective put on part")
    })
    .await;
    b.keys(ESCAPE).await;
}

/// Sells an iron condor at the 20-delta, moves its call side up, and sets half of the most as a
/// target and a rule of risk.
async fn income_seller(b: &Browser) {
    new_draft(b, "WXMT").await;
    b.press("build ▾").await;
    b.press("stays").await;
    b.click("[data-idea*='iron condor']").await;
    let before = b
        .until("[data-testid=structure-name]", "a condor", |t| {
            t.contains("iron condor")
        })
        .await;
    b.keys("e").await;
    b.find("[data-testid=bench-outline]").await;
    // The whole call side two strikes higher: outer leg first.
    let calls = b
        .run(
            "return [...document.querySelectorAll('[data-bench-leg]')].map((l) => \
              l.dataset.benchLeg).filter((c) => c[12] === 'C').sort().reverse()",
        )
        .await;
    for contract in calls
        .as_array()
        .into_iter()
        .flatten()
        .filter_map(|c| c.as_str())
    {
        let strike: f64 = contract[13..].parse::<f64>().unwrap_or_default() / 1000.0;
        b.click(&format!("[aria-label='{strike} call: one strike higher']"))
            .await;
    }
    b.until("h1", "skewed upward", |t| {
        t.contains("iron condor") && !t.contains(&before)
    })
    .await;
    b.find("[data-testid=bench-ghost]").await;
    b.press("chance").await;
    // No target is set before the trader sets one.
    b.find("input[placeholder=none]").await;
    b.gone("[data-testid=reached]").await;
    b.write("input[placeholder=none]", "50").await;
    b.until("[data-testid=reached]", "a chance", |t| {
        t.contains("Reaches the target before its end: ") && t.contains('%')
    })
    .await;
    b.press("the smile").await;
    b.until("main", "under the smile", |t| {
        t.contains("Under the smile of its first expiration")
    })
    .await;
    let chance = "const row = [...document.querySelectorAll('main tr')].find((r) => \
                  r.textContent.startsWith('a profit')); return row.lastElementChild.textContent;";
    assert!(
        b.run(chance)
            .await
            .as_str()
            .is_some_and(|t| t.ends_with('%')),
        "a chance of profit under the smile"
    );
    b.write("[aria-label='My rule about risk'] input", "0.1")
        .await;
    b.press("keep").await;
    b.until("[aria-label=Checks]", "warned by the own rule", |t| {
        t.contains("your rule says at most 0.1 %")
    })
    .await;
    b.write("[aria-label='My rule about risk'] input", "50")
        .await;
    b.press("keep").await;
    b.until("[aria-label=Checks]", "within the rule", |t| {
        t.contains("part of the account at risk: ") && t.contains("your rule says at most 50 %")
    })
    .await;
    b.press("grid").await;
    b.press("% of max profit").await;
    b.until("main", "percent of the max profit", |t| {
        t.contains("in percent of the max profit")
    })
    .await;
    b.accessible("grid in percent").await;

    // The ticket: as many as the rule allows, with a target and a stop that wait for the fill and
    // cancel each other.
    b.write("[aria-label='My rule about risk'] input", "5")
        .await;
    b.press("keep").await;
    b.until("[aria-label=Checks]", "the other rule", |t| {
        t.contains("your rule says at most 5 %")
    })
    .await;
    b.keys("t").await;
    b.press_starting("by my rule: ").await;
    let quantity = b
        .run("return document.querySelector('#quantity').value")
        .await;
    assert!(
        quantity
            .as_str()
            .and_then(|q| q.parse::<i64>().ok())
            .is_some_and(|q| q > 1),
        "{quantity}"
    );
    b.write("#quantity", "1").await;
    b.click("[role=dialog] fieldset label:has(input[type=checkbox])")
        .await;
    b.write("[aria-label='at a target, price of the close']", "0.20")
        .await;
    b.click("[role=dialog] fieldset div:last-child label:has(input[type=checkbox])")
        .await;
    b.write("[aria-label='at a stop, price of the close']", "9")
        .await;
    b.accessible("ticket with exits").await;
    b.press("Read back").await;
    b.until("[role=dialog]", "told", |t| {
        t.contains(
            "Once filled it closes at 0.20 debit or better, or at the market when its middle \
             stands at 9 debit or worse; one cancels the other.",
        )
    })
    .await;
    b.press("Place order").await;
    b.find("[data-testid=order-state]").await;
    let orders = b.api("/api/orders").await;
    let last: Vec<&serde_json::Value> = orders
        .as_array()
        .into_iter()
        .flatten()
        .rev()
        .take(3)
        .collect();
    let after = |i: usize| last[i]["after"].as_u64();
    assert!(
        after(0) == last[2]["id"].as_u64() && after(1) == after(0) && last[0]["held"].is_string(),
        "{last:?}"
    );
    b.keys(ESCAPE).await;
    // They stand under the order they wait for; all that works is cancelled on a second word, and
    // found again among what is done.
    b.keys("5").await;
    b.until("[aria-label=Working]", "a tree", |t| {
        t.matches('└').count() == 2 && t.contains("Cancel all")
    })
    .await;
    b.press("Cancel all").await;
    b.press_starting("Cancel all ").await;
    b.until("[aria-label=Working]", "empty", |t| {
        t.contains("Nothing is working")
    })
    .await;
    b.write("[aria-label='Find among all orders']", "WXMT cancelled")
        .await;
    b.until("[aria-label=Filled]", "nothing found", |t| {
        t.contains("No filled order has")
    })
    .await;
    b.write("[aria-label='Find among all orders']", "wxmt")
        .await;
    b.until("[aria-label=Ended]", "found", |t| {
        t.contains("iron condor") && !t.contains("NMOU")
    })
    .await;
    b.accessible("orders found").await;
}

/// A broken-wing butterfly pasted as a table of legs; a calendar across results, built from two
/// expirations under one another, and a fall of ten points.
async fn structure_builder(b: &Browser, home: &str) {
    new_draft(b, "WXMR").await;
    let chain = b.api("/api/chain/WXMR").await;
    let mark = chain["head"]["marks"]
        .as_array()
        .into_iter()
        .flatten()
        .find(|m| m["days"].as_i64() > Some(20) && m["amSettled"] == false)
        .cloned()
        .unwrap_or_default();
    let rows = b
        .api(&format!(
            "/api/chain/WXMR?expiration={}",
            mark["key"].as_str().unwrap_or_default()
        ))
        .await;
    let puts: Vec<&str> = rows["blocks"][0]["rows"]
        .as_array()
        .into_iter()
        .flatten()
        .filter_map(|r| r["put"]["contract"].as_str())
        .collect();
    let middle = puts.len() / 2;
    let table = format!(
        "contract,quantity,price\\n{},1,\\n{},-2,\\n{},1,",
        puts[middle - 6],
        puts[middle],
        puts[middle + 10]
    );
    b.press("draft ▾").await;
    b.keys("r").await;
    b.keys(ENTER).await;
    b.find("[role=dialog] textarea").await;
    b.accessible("read a draft").await;
    b.run(&format!(
        "const t = document.querySelector('[role=dialog] textarea'); \
                    Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, \
                    'value').set.call(t, '{table}'); t.dispatchEvent(new Event('input', \
                    {{ bubbles: true }}));"
    ))
    .await;
    b.press("Read").await;
    b.until("[data-testid=structure-name]", "a broken wing", |t| {
        t.starts_with("long broken-wing put butterfly")
    })
    .await;
    b.keys("e").await;
    b.find("[data-bench-leg]").await;
    b.keys("m").await;
    b.find("[data-testid=map-even]").await;
    b.accessible("time map").await;
    b.keys("o").await;

    // The calendar: near sold, later bought, one block of rows under the other, by the keyboard
    // from the first price on.
    b.click("[aria-label='throw away draft A']").await;
    new_draft(b, "NMOU").await;
    let near = "NMOU:2031-04-18";
    let far = "NMOU:2031-06-20";
    b.press("expirations ▾").await;
    b.click("[aria-label='20 Jun under the rows']").await;
    b.keys(e2e::ESCAPE).await;
    b.find(&format!("[data-block='{far}'] [data-cell]")).await;
    b.click(&format!("[data-of='{near}'][data-cell='190-call-bid']"))
        .await;
    b.run(&format!(
        "document.querySelector(\"[data-of='{far}'][data-cell='190-call-ask']\").focus()"
    ))
    .await;
    b.keys("b").await;
    b.until("[data-testid=structure-name]", "a calendar", |t| {
        t.starts_with("long call calendar 190/190")
    })
    .await;
    let kept = b
        .run("return [...document.querySelectorAll('[data-testid=outline]')].length")
        .await;
    assert_eq!(kept, 2, "each block has the outline on its own axis");
    b.accessible("two expirations").await;
    b.keys("e").await;
    b.find("[data-testid=bench-outline]").await;
    b.until("[data-testid=read-out]", "a profit of about nothing", |t| {
        t.contains("today")
    })
    .await;
    let today = read(b, "today").await;
    b.click("[aria-label='market moved']").await;
    b.write("[aria-label='Moved market'] input", "-10").await;
    b.accessible("moved market").await;
    b.keys(ESCAPE).await;
    b.until("main", "moved", |t| t.contains("−10 points")).await;
    b.until("[data-testid=read-out]", "a loss", |t| {
        t.contains("today −")
    })
    .await;
    let all = read(b, "today").await;
    assert!(
        all < today - 40.0,
        "ten points off everything cost a bought calendar: {today} {all}"
    );
    // Results over: the near expiration alone gives its event's volatility back.
    b.press("as at first").await;
    b.click("[aria-label='market moved']").await;
    b.write(
        "[aria-label='Moved market'] label:nth-of-type(2) input",
        "-10",
    )
    .await;
    b.keys(ESCAPE).await;
    b.until("[data-testid=read-out]", "a gain", |t| {
        t.contains("today +")
    })
    .await;
    let near_only = read(b, "today").await;
    assert!(near_only > today + 40.0, "{today} {near_only}");
    // The link opens the same draft in another tab of the tray, exactly.
    let link = "const [done] = arguments; fetch('/api/drafts').then((r) => r.json()).then((all) \
                => { const d = all.find((x) => x.draft.legs.length === 2).draft; \
                done(btoa(JSON.stringify(d)).replaceAll('+', '-').replaceAll('/', \
                '_').replaceAll('=', '')); });";
    let text = b.run_async(link).await;
    b.goto(&format!(
        "{home}/chain/NMOU?draft={}",
        text.as_str().unwrap_or_default()
    ))
    .await;
    b.until("[data-testid=structure-name]", "the calendar again", |t| {
        t.starts_with("long call calendar 190/190")
    })
    .await;
    b.goto(&format!("{home}/chain/NMOU?draft=e30")).await;
    b.until("main [role=alert]", "refused", |t| {
        t.contains("The link opens no draft")
    })
    .await;

    // What stands beside the rows and under the ribbon.
    for (beside, there) in [
        ("history", "svg[aria-label^='Daily bars']"),
        ("smile", "[data-testid=smile-line]"),
    ] {
        b.press("show ▾").await;
        b.press(beside).await;
        if beside == "smile" {
            b.press("term structure").await;
        }
        b.keys(ESCAPE).await;
        b.find(there).await;
        b.accessible(beside).await;
    }
    b.find("[data-testid=term-line]").await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn three_traders_build_and_judge() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("demo.db");
    in_browser(move |b| async move {
        let program = Program::demo(&data, 0);
        let home = program.door.address.clone();
        b.enter(&program).await;
        b.find("[data-cell]").await;
        careful_buyer(&b).await;
        income_seller(&b).await;
        structure_builder(&b, &home).await;
        // Of all that was asked for only the bad link was refused.
        let noise: Vec<String> = b
            .complaints()
            .await
            .into_iter()
            .filter(|line| !line.contains("/api/drafts/read"))
            .collect();
        assert_eq!(noise, Vec::<String>::new(), "the console is quiet");
    })
    .await;
}
