//! Finding trades in a browser: the careful buyer by a price and a date, the income seller by the
//! market, the structure builder by a drawn region; each finds, shortlists, compares, sends or keeps.

use e2e::{Browser, Program, in_browser};
use serde_json::json;

const FIRST: &str = "table[aria-label=Candidates] tbody button[aria-expanded]";

/// Looks, and waits until the search has ended.
async fn look(b: &Browser) -> String {
    b.press("look").await;
    b.until("[data-testid=judged]", "what was judged", |t| {
        t.contains(" as of ")
    })
    .await
}

/// Only these families are looked for.
async fn families(b: &Browser, names: &[&str]) {
    b.press("none").await;
    for name in names {
        b.press(name).await;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn three_traders_find_what_they_trade() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("demo.db");
    in_browser(move |b| async move {
        let program = Program::demo(&data, 0);
        let home = program.door.address.clone();
        b.enter(&program).await;
        b.find("[data-cell]").await;
        b.tell("/api/clock", json!({ "running": false })).await;

        // The careful buyer: above a price by a date, a few hundred at most; one is bought.
        b.goto(&format!("{home}/scout/expect/OSKV")).await;
        b.until("[data-testid=expected]", "how to begin", |t| {
            t.starts_with("Drag a box ahead of OSKV")
        })
        .await;
        let spot = b.api("/api/chain/OSKV").await["head"]["level"].as_f64();
        let above = format!("{:.1}", spot.unwrap_or_default() * 1.04);
        b.write("[aria-label=From]", &above).await;
        b.write("[aria-label='Sure, percent']", "55").await;
        let said = b
            .until("[data-testid=expected]", "both chances", |t| {
                t.contains("I give it 55.0 %")
            })
            .await;
        assert!(said.contains(&format!("above {above}")), "{said}");
        families(&b, &["single", "vertical"]).await;
        b.write("[aria-label='Capital at most']", "400").await;
        b.select("[aria-label='Rank by']", "expected").await;
        let judged = look(&b).await;
        assert!(judged.contains("more capital"), "{judged}");
        b.accessible("what is found").await;
        b.click(FIRST).await;
        b.find("[data-testid=candidate]").await;
        b.press("ticket").await;
        b.press("Read back").await;
        b.press("Place order").await;
        b.until("[data-testid=order-state]", "sent", |t| {
            t == "working" || t == "filled"
        })
        .await;
        b.keys(e2e::ESCAPE).await;

        // The income seller: by the market, a row that opens, past news, what fits; over several
        // underlyings, two side by side.
        b.goto(&format!("{home}/scout")).await;
        b.click("[aria-label='why NMOU']").await;
        b.until(
            "section[aria-label='News of NMOU']",
            "what is priced",
            |t| t.contains("Taken out of") && t.contains("fell outside one σ"),
        )
        .await;
        b.press("the figures").await;
        b.find("table[aria-label='Past news'] tbody tr").await;
        b.until("section[aria-label='Structures that fit']", "five", |t| {
            t.contains("max profit")
        })
        .await;
        b.accessible("a row that is opened").await;
        b.click("section[aria-label='Structures that fit'] a").await;
        b.until("[data-testid=expected]", "one deviation", |t| {
            t.contains("NMOU between")
        })
        .await;
        b.write("[aria-label='Capital at most']", " ").await;
        families(&b, &["condor"]).await;
        b.press("several").await;
        b.write("[aria-label=Symbols]", "NMOU BRLW").await;
        b.write("[aria-label='Strikes at most']", "16").await;
        b.press("credit").await;
        look(&b).await;
        for n in [1, 3] {
            b.click(&format!(
                "table[aria-label=Candidates] tbody tr:nth-child({n}) button[aria-expanded]"
            ))
            .await;
            b.press("to the shortlist").await;
            b.click(&format!(
                "table[aria-label=Candidates] tbody tr:nth-child({n}) button[aria-expanded]"
            ))
            .await;
        }
        b.until("[aria-label=Shortlist]", "two of four", |t| {
            t.contains("shortlist 2 of 4")
        })
        .await;
        b.press("compare on the bench").await;
        b.find("[aria-label='Outlines of the drafts over each other']")
            .await;

        // The structure builder: draws a region ahead of the index, keeps what is expected, and reads
        // what came of it.
        b.goto(&format!("{home}/scout/expect/WXMR")).await;
        b.find("svg[role=application]").await;
        let drag = "const s = document.querySelector('svg[role=application]');
            const at = s.getBoundingClientRect();
            const tell = (kind, x, y) => s.dispatchEvent(new PointerEvent(kind, { bubbles: true,
              clientX: at.left + x, clientY: at.top + y, pointerId: 1 }));
            s.setPointerCapture = () => {};
            tell('pointerdown', 40, 110);
            const done = arguments[0];
            setTimeout(() => { tell('pointermove', 120, 190);
              setTimeout(() => { tell('pointerup', 120, 190); done(true); }, 60); }, 60);";
        b.run_async(drag).await;
        let drawn = b
            .until("[data-testid=expected]", "a region", |t| {
                t.starts_with("WXMR between")
            })
            .await;
        // The keyboard moves it.
        b.run("document.querySelector('svg[role=application]').focus()")
            .await;
        b.keys(e2e::UP).await;
        b.until("[data-testid=expected]", "a higher one", |t| {
            t.starts_with("WXMR between") && t != drawn
        })
        .await;
        b.write("[aria-label=Date]", "14 Mar 2031").await;
        b.write("[aria-label='Sure, percent']", "75").await;
        b.press("WXMR alone").await;
        b.press("either").await;
        families(&b, &["butterfly"]).await;
        b.write("[aria-label=Expirations]", "1").await;
        look(&b).await;
        b.click(FIRST).await;
        b.press("to the shortlist").await;
        b.write("[aria-label='A sentence about it']", "rests").await;
        b.press_starting("keep this expectation").await;
        b.until("[aria-label=Shortlist]", "kept", |t| t.ends_with("kept"))
            .await;
        b.tell("/api/clock", json!({ "goTo": "2031-03-17" })).await;
        b.goto(&format!("{home}/scout/kept")).await;
        b.until("main", "what came of it", |t| {
            t.contains("I was sure by 75 %")
                && (t.contains("came so") || t.contains("came otherwise"))
                && t.contains("by its date")
        })
        .await;
        b.press("not taken").await;
        b.until("main", "it was taken", |t| {
            t.contains("taken") && !t.contains("not taken")
        })
        .await;
        b.accessible("what I expected").await;

        // A long search is stopped, and says so.
        b.goto(&format!("{home}/scout/expect/WXMR")).await;
        b.write("[aria-label='Strikes at most']", " ").await;
        b.write("[aria-label=Reach]", "3").await;
        b.write("[aria-label=Expirations]", "12").await;
        families(&b, &["skewed condor"]).await;
        b.click("[aria-label='Over which underlyings'] button:last-child")
            .await;
        b.press("look").await;
        b.press("stop").await;
        b.until("[data-testid=judged]", "that it was stopped", |t| {
            t.contains("stopped, so better ones may be left")
        })
        .await;
        // What makes no sense is told, and cannot be asked.
        b.write("[aria-label='Part of the way to the far side']", "3")
            .await;
        b.until("form[aria-label=Expectation] [role=alert]", "which", |t| {
            t == "makes no sense: price"
        })
        .await;
        assert_eq!(b.complaints().await, Vec::<String>::new());
        drop(program);
    })
    .await;
}
