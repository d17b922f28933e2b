//! Every view on every width: nothing runs out of the page, nothing is wrong by axe in either
//! theme, everything is reached by keyboard; and a newcomer is walked over the real screen once.

use e2e::{Browser, DOWN, ENTER, ESCAPE, Program, TAB, in_browser};
use serde_json::json;

/// Width and height of the page.
const SIZES: [(u32, u32); 4] = [(390, 844), (1024, 768), (1280, 800), (1920, 1080)];

/// What reaches beyond the right edge and cannot be scrolled to or cut with an ellipsis.
async fn beyond(b: &Browser) -> Vec<String> {
    let script = "
        const cut = (e) => {
          for (let p = e; p && p !== document.body; p = p.parentElement) {
            const s = getComputedStyle(p);
            if (/auto|scroll/.test(s.overflowX) || s.position === 'fixed' ||
                (s.overflowX === 'hidden' && s.textOverflow === 'ellipsis') ||
                (s.clipPath !== 'none')) return true;
          }
          return false;
        };
        return [...document.querySelectorAll('main *, header *, footer *, nav *')]
          .filter((e) => !(e instanceof SVGElement) && e.checkVisibility())
          .filter((e) => [...e.childNodes].some((n) => n.nodeType === 3 && n.data.trim() !== ''))
          .filter((e) => e.getBoundingClientRect().right > innerWidth + 1 && !cut(e))
          .map((e) => `${e.tagName} ${e.textContent.slice(0, 40)}`)
          .concat(document.documentElement.scrollWidth > innerWidth + 1 ? ['the page itself'] : []);";
    let found = b.run(script).await;
    found
        .as_array()
        .map(|a| a.iter().map(ToString::to_string).collect())
        .unwrap_or_default()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn every_view_on_every_width() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("demo.db");
    in_browser(move |b| async move {
        let program = Program::demo(&data, 0);
        b.enter(&program).await;
        b.find("[data-cell]").await;
        let leg =
            |contract: &str, quantity: i32| json!({ "contract": contract, "quantity": quantity });
        let condor = json!({ "symbol": "NMOU", "legs": [
            leg("NMOU  310418P00165000", 1), leg("NMOU  310418P00170000", -1),
            leg("NMOU  310418C00205000", -1), leg("NMOU  310418C00210000", 1),
        ]});
        let kept = b.tell_by("PUT", "/api/drafts/A", condor).await;
        assert!(kept.as_u64().is_some_and(|s| s < 300), "{kept}");
        let home = &program.door.address;
        let campaign = b.api("/api/book").await["positions"][0]["campaign"].clone();
        let rework = format!("rework/{campaign}");
        let campaign = format!("campaign/{campaign}");
        let views = [
            ("rounds", "[data-ask]"),
            ("rules", "section[aria-label=Profit] button"),
            ("days", "[aria-label=Closes]"),
            ("chain/NMOU", "[data-testid=sentence]"),
            ("bench", "[data-testid=bench-outline]"),
            ("orders", "main table"),
            ("book", "main table"),
            (campaign.as_str(), "[data-stretch]"),
            (rework.as_str(), "[aria-label=Figures]"),
            ("scout", "main table"),
            ("scout/expect/NMOU", "[data-testid=expected]"),
            ("scout/kept", "main p"),
            ("balance", "[data-testid=book-even]"),
            ("balance/account", "main table"),
            ("ledger", "main table"),
            ("lessons", "table[aria-label='Roads not taken']"),
            ("rehearsal", "table[aria-label='Closed runs']"),
            ("rehearsal/drills", "table[aria-label=Cycles]"),
            ("rehearsal/beside", "main p"),
            ("runs/summer-condors/book", "[data-testid=run-name]"),
        ];
        for (width, height) in SIZES {
            b.resize_to(width, height).await;
            for (view, there) in views {
                // Bench, campaign and rework are desks: they are not made for one hand.
                let desk = ["bench", "campaign", "rework"];
                if width < 768 && desk.iter().any(|d| view.starts_with(d)) {
                    continue;
                }
                b.goto(&format!("{home}/{view}")).await;
                b.find(there).await;
                let found = beyond(&b).await;
                assert!(found.is_empty(), "{view} at {width}: {found:#?}");
                // Between the widths of a desk names and colours are the same.
                if width == 390 || width == 1920 {
                    b.accessible(&format!("{view} at {width}")).await;
                }
            }
            b.goto(&format!("{home}/chain/NMOU")).await;
            b.find("[data-testid=sentence]").await;
            b.keys("t").await;
            b.find("[data-testid=ticket-name]").await;
            b.until("[data-ticket]", "its market", |t| {
                t.contains("buying power after")
            })
            .await;
            let found = beyond(&b).await;
            assert!(found.is_empty(), "ticket at {width}: {found:#?}");
            // What it costs and its main button are seen without scrolling.
            let seen = "const [words] = [document.querySelector('[data-ticket]')];
                const shown = (e) => { const r = e.getBoundingClientRect();
                  return r.top >= 0 && r.bottom <= innerHeight; };
                const named = (t) => [...words.querySelectorAll('*')].filter((e) =>
                  e.children.length === 0 && e.textContent.trim() === t);
                return ['max loss', 'break-even', 'buying power after', 'Read back'].filter((t) =>
                  !named(t).some(shown));";
            assert_eq!(b.run(seen).await, json!([]), "ticket at {width}");
            b.keys(ESCAPE).await;
        }
        drop(program);
    })
    .await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_newcomer_is_walked_and_all_is_done_by_keys() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("own.db");
    in_browser(move |b| async move {
        let program = Program::serve(&data, 0);
        b.enter(&program).await;
        b.find("[data-cell]").await;
        let home = &program.door.address;

        // Six steps over the real screen; once ended they do not come again.
        b.keep("walk", &json!({ "seen": false })).await;
        b.goto(home).await;
        for step in 1..=6 {
            b.until("[data-testid=walk]", "a step", |t| {
                t.contains(&format!("{step} of 6"))
            })
            .await;
            b.accessible("first steps").await;
            b.press(if step < 6 { "Next" } else { "Begin" }).await;
        }
        b.gone("[data-testid=walk]").await;
        b.goto(home).await;
        b.until("[data-testid=headline]", "the front door", |t| {
            t == "Nothing is held."
        })
        .await;
        b.gone("[data-testid=walk]").await;

        // A command is found by its name, as a symbol and a view are.
        b.keys("/").await;
        b.find("[aria-label='Symbol, view or command']").await;
        b.keys("first steps").await;
        b.keys(ENTER).await;
        b.until("[data-testid=walk]", "the first step", |t| {
            t.contains("1 of 6")
        })
        .await;
        b.press("Skip").await;
        b.gone("[data-testid=walk]").await;

        // Tab comes into the rows at the price; arrows and Enter build, Delete on the tab takes out.
        b.run("document.querySelector('[aria-label=Expirations] button:last-child').focus()")
            .await;
        let mut here = String::new();
        for _ in 0..60 {
            b.keys(TAB).await;
            let at = b
                .run("return document.activeElement.getAttribute('data-cell') ?? ''")
                .await;
            here = at.as_str().unwrap_or_default().to_owned();
            if !here.is_empty() {
                break;
            }
        }
        assert!(here.ends_with("call-ask"), "Tab ends at {here:?}");
        b.keys(DOWN).await;
        let below = b
            .run("return document.activeElement.getAttribute('data-cell')")
            .await;
        assert_ne!(below.as_str(), Some(here.as_str()));
        b.keys(ENTER).await;
        b.until("[data-testid=structure-name]", "a call", |t| {
            t.contains("call")
        })
        .await;
        b.run("document.querySelector('[data-leg]').focus()").await;
        b.keys(e2e::DELETE).await;
        b.until("section[aria-label=Draft]", "nothing", |t| {
            t.contains("Click an ask")
        })
        .await;

        // Help closes and gives the focus back; while it is open its page keeps keys to itself.
        b.run("document.querySelector('[aria-label=Help]').focus()")
            .await;
        b.keys("?").await;
        b.find("[role=dialog]").await;
        b.keys("book").await;
        b.until("[role=dialog]", "what has the word", |t| {
            t.contains("what is held")
        })
        .await;
        b.keys(ESCAPE).await;
        let back = "const done = arguments[0]; const until = performance.now() + 2000;
            const look = () => { const at = document.activeElement.outerHTML.slice(0, 200);
              if (at.includes('Help') || performance.now() > until) done(at);
              else setTimeout(look, 20); };
            look();";
        let back = b.run_async(back).await.to_string();
        assert!(back.contains("Help"), "the focus is at {back}");
        drop(program);
    })
    .await;
}
