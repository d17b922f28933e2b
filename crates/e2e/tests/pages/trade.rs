//! The whole path of a trade in a real browser, against the real program.

use std::time::Duration;

use e2e::{Browser, DOWN, ENTER, ESCAPE, LEFT, Program, RIGHT, UP, in_browser};
use serde_json::{Value, json};

/// Whether what is read now differs from before as it should.
type Moved = fn(&str, &str) -> bool;

/// Strikes on the screen, from high to low, and the place of the first one below the price.
async fn rows(b: &Browser) -> (Vec<String>, usize) {
    let script = "const spot = \
        Number(document.querySelector('[data-testid=spot]').textContent.replaceAll(',', ''));
        const strikes = [...document.querySelectorAll('[data-strike]')].map((t) => t.textContent);
        return [strikes, strikes.findIndex((s) => Number(s) < spot)];";
    let found = b.run(script).await;
    let strikes: Vec<String> = found[0]
        .as_array()
        .into_iter()
        .flatten()
        .filter_map(|s| s.as_str().map(str::to_owned))
        .collect();
    (strikes, found[1].as_u64().unwrap_or(0) as usize)
}

/// The amount in a figure of the masthead, as cents.
fn cents(text: &str) -> i64 {
    let digits: String = text
        .replace('−', "-")
        .chars()
        .filter(|c| c.is_ascii_digit() || *c == '-')
        .collect();
    digits.parse().unwrap_or_else(|e| panic!("{text}: {e}"))
}

/// Within what prices move the margin of the demo's other positions meanwhile; the two packages
/// tried here take four times as much.
fn near(a: i64, b: i64) -> bool {
    (a - b).abs() < 25_000
}

fn amount(v: &Value) -> i64 {
    let text = v.as_str().unwrap_or_default();
    let (whole, fraction) = text.split_once('.').unwrap_or((text, "00"));
    cents(&format!("{whole}{fraction:0<2}"))
}

/// Waits for the order of the drawer to fill; time passes by the minute.
async fn filled(b: &Browser) {
    for _ in 0..40 {
        tokio::time::sleep(Duration::from_millis(120)).await;
        if b.text("[data-testid=order-state]").await == "filled" {
            return;
        }
        b.tell("/api/clock", json!({ "step": "minute" })).await;
    }
    panic!("the order is {}", b.text("[data-testid=order-state]").await);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn from_the_chain_to_a_closed_trade() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("demo.db");
    in_browser(move |b| async move {
        let mut program = Program::demo(&data, 0);
        let home = program.door.address.clone();

        // Open the chain: quotes move, the ribbon and the rows are there.
        b.enter(&program).await;
        b.find("[data-cell]").await;
        let first = b
            .until("[data-testid=spot]", "a price", |t| !t.is_empty())
            .await;
        b.until("[data-testid=spot]", "moving", |t| {
            t != first && !t.is_empty()
        })
        .await;
        b.until("h1", "its name", |t| t == "Nimoura Systems").await;
        b.says(
            "[aria-label=Expirations] [aria-pressed=true]",
            &["38 d", "18 Apr", "%"],
        )
        .await;
        assert!(
            b.run("return document.querySelector('[aria-label=Expirations]').textContent")
                .await
                .to_string()
                .contains("earnings after the close on 20 Mar")
        );
        let (strikes, below) = rows(&b).await;
        assert!(
            strikes.len() >= 20 && (5..strikes.len() - 5).contains(&below),
            "{strikes:?} {below}"
        );
        assert!(
            strikes
                .windows(2)
                .all(|w| w[0].parse::<f64>().ok() > w[1].parse().ok()),
            "high to low"
        );
        b.accessible("empty chain").await;
        // The demo's own resting order is taken out, so that only this trade moves money.
        for order in b
            .api("/api/orders")
            .await
            .as_array()
            .into_iter()
            .flatten()
            .filter(|o| o["open"] == true)
        {
            b.tell(&format!("/api/orders/{}/cancel", order["id"]), json!({}))
                .await;
        }
        b.goto(&format!("{home}/orders")).await;
        b.until("[aria-label=Working]", "nothing at work", |t| {
            t.contains("Nothing is working")
        })
        .await;
        b.goto(&format!("{home}/chain/NMOU")).await;
        b.find("[data-cell]").await;
        let start = cents(
            &b.until("[data-testid=buying-power]", "there", |t| !t.is_empty())
                .await,
        );

        // Build: two clicks, then arrows and b, s.
        let cell = |i: usize, side: &str, what: &str| {
            format!("[data-cell='{}-{side}-{what}']", strikes[i])
        };
        b.click(&cell(below - 5, "call", "bid")).await;
        b.until("[data-testid=structure-name]", "a short call", |t| {
            t.starts_with("short call")
        })
        .await;
        b.keys(UP).await;
        b.keys(UP).await;
        b.keys(RIGHT).await;
        b.keys("b").await;
        b.until("[data-testid=structure-name]", "a vertical", |t| {
            t.starts_with("bear call vertical")
        })
        .await;
        b.click(&cell(below + 4, "put", "bid")).await;
        b.keys(DOWN).await;
        b.keys(DOWN).await;
        b.keys("b").await;
        b.keys("z").await;
        b.keys(ENTER).await; // the cursor stands on a bid: Enter sells there
        b.keys("z").await;
        b.keys("Z").await;
        b.keys("z").await;
        b.keys("b").await;
        let condor = b
            .until("[data-testid=structure-name]", "an iron condor", |t| {
                t.starts_with("iron condor")
            })
            .await;
        let sentence = [
            "Iron condor on NMOU, 38 days: you receive",
            "Most you can make:",
            "Most you can lose:",
            "or at",
            "Break-even at",
        ];
        b.says("[data-testid=sentence]", &sentence).await;
        for tail in ["tail-above", "tail-below"] {
            let tail = format!("[data-testid={tail}]");
            b.until(&tail, "a flat tail", |t| t.ends_with("flat")).await;
        }
        for path in ["outline", "today-line"] {
            let d = b
                .run(&format!(
                    "return document.querySelector('[data-testid={path}]').getAttribute('d').length"
                ))
                .await;
            assert!(d.as_u64() > Some(500), "{path}: {d}");
        }
        let figures = [
            "credit",
            "max profit +",
            "max loss −",
            "B/E ",
            "chance of profit",
            "capital ",
        ];
        b.says("section[aria-label=Draft]", &figures).await;
        b.press("Greeks ▾").await;
        let greeks = ["Δ ", "Γ −", "θ +", "vega −"];
        b.says("[aria-label='Greeks of the draft']", &greeks).await;
        b.keys(ESCAPE).await;

        // Shares and legs up to an eighth are taken, a ninth is refused in words; back, drag a tab
        // one row down and take it back; nudge, widen, turn over.
        b.click("[aria-label='add shares to the draft']").await;
        b.click("[role=menuitem]").await;
        b.until("[data-leg=NMOU]", "bought", |t| {
            t.starts_with("buy 100 shares")
        })
        .await;
        for row in 0..4 {
            b.click(&cell(below + row, "call", "ask")).await;
        }
        b.until("[role=alert]", "a refusal", |t| {
            t.contains("at most 8 legs")
        })
        .await;
        for _ in 0..3 {
            b.keys("z").await;
        }
        b.click("[data-leg=NMOU]").await;
        b.until("[data-testid=structure-name]", "the condor again", |t| {
            t == condor
        })
        .await;
        let tab = "[data-leg*='P']";
        b.drag(tab, 20.0).await;
        b.until("[data-testid=structure-name]", "changed by the drag", |t| {
            t != condor
        })
        .await;
        b.keys("z").await;
        b.until("[data-testid=structure-name]", "as before the drag", |t| {
            t == condor
        })
        .await;
        let nudges: [(&str, &str, &str, Moved); 4] = [
            ("]", "[", "[data-testid=structure-name]", |now, before| {
                now.starts_with("iron condor") && now != before
            }),
            ("=", "-", "[data-testid=structure-name]", |now, before| {
                now.starts_with("iron condor") && now != before
            }),
            ("}", "{", "[data-testid=sentence]", |now, _| {
                now.contains("Iron condor") && !now.contains("38 days")
            }),
            ("x", "x", "[data-testid=structure-name]", |now, _| {
                now.starts_with("reverse iron condor")
            }),
        ];
        for (there, back, place, moved) in nudges {
            b.keys(there).await;
            b.until(place, there, |now| moved(now, &condor)).await;
            b.keys(back).await;
            b.until(place, back, |now| !moved(now, &condor)).await;
            b.until("[data-testid=structure-name]", back, |t| t == condor)
                .await;
        }
        b.accessible("chain with a draft").await;

        // Ticket: two packages at rest, read back, placed, working; cancelled.
        b.keys("t").await;
        b.until("[data-testid=ticket-name]", "the condor", |t| {
            t.contains("iron condor")
        })
        .await;
        b.press("+").await;
        b.keys(ESCAPE).await;
        b.until("body", "without a ticket", |t| !t.contains("Read back"))
            .await;
        b.keys("t").await;
        b.write("#quantity", "2").await;
        b.press("good till cancelled").await;
        b.accessible("ticket").await;
        b.click("[role=dialog] [role=slider]").await;
        b.keys(e2e::HOME).await;
        let limit = b
            .run("return document.querySelector('[aria-label=\"Limit price\"]').value")
            .await;
        b.press("Read back").await;
        let said = b
            .until("[role=dialog]", "read back", |t| {
                t.contains("2 × iron condor ") && t.contains(" on NMOU, at ")
            })
            .await;
        assert!(
            said.contains(&format!(
                "at {} credit or better, good till cancelled",
                limit.as_str().unwrap_or_default()
            )),
            "{said}"
        );
        b.accessible("read back").await;
        b.press("Place order").await;
        b.until("[data-testid=order-state]", "working", |t| t == "working")
            .await;
        b.accessible("order card").await;
        let order = b.text("[role=dialog] h2").await;
        b.press("Cancel order").await;
        b.until("[data-testid=order-state]", "cancelled", |t| {
            t == "cancelled"
        })
        .await;
        b.keys(ESCAPE).await;
        b.until("[data-testid=buying-power]", "given back", |t| {
            near(cents(t), start)
        })
        .await;

        // Place it again; kill the program; start it again: everything is where it was.
        b.keys("t").await;
        b.write("#quantity", "2").await;
        b.press("good till cancelled").await;
        b.click("[role=dialog] [role=slider]").await;
        b.keys(e2e::HOME).await;
        b.press("Read back").await;
        b.press("Place order").await;
        b.until("[data-testid=order-state]", "working", |t| t == "working")
            .await;
        b.until("[role=dialog] h2", "another order", |t| t != order)
            .await;
        let (ledger, drafts) = (b.api("/api/ledger").await, b.api("/api/drafts").await);
        let noise: Vec<String> = b.complaints().await;
        assert_eq!(noise, Vec::<String>::new(), "the console is quiet");
        let seen = b.requests().await;
        let stray: Vec<&String> = seen
            .iter()
            .filter(|u| !u.starts_with(&home) && !u.starts_with(&home.replace("http", "ws")))
            .collect();
        assert!(
            seen.len() > 10 && stray.is_empty(),
            "asked outside its own origin: {stray:?}"
        );
        let port = program.port();
        let clock = b.text("[data-testid=clock]").await;
        drop(program);
        b.until("[role=status]", "told", |t| {
            t.contains("The program does not answer")
        })
        .await;
        program = Program::demo(&data, port);
        b.until("body", "connected again", |t| {
            !t.contains("does not answer")
        })
        .await;
        assert_eq!(b.api("/api/drafts").await, drafts);
        assert_eq!(b.api("/api/ledger").await, ledger);
        let again = b.text("[data-testid=clock]").await;
        let minute = |t: &str| {
            t.rsplit(' ')
                .next()
                .and_then(|t| {
                    t.split(':')
                        .map(|p| p.parse::<i64>().ok())
                        .try_fold(0, |s, p| Some(s * 60 + p?))
                })
                .unwrap_or(0)
        };
        assert!(
            (-2..20).contains(&(minute(&again) - minute(&clock))),
            "{clock} {again}"
        );
        b.goto(&format!("{home}/orders")).await;
        b.until("[aria-label=Working]", "working still", |t| {
            t.contains("iron condor") && t.contains("0 / 2")
        })
        .await;
        b.accessible("orders").await;

        // Change its price to the cross: it fills.
        b.click("[aria-label=Working] tbody tr:last-child button")
            .await;
        b.press_starting("cross").await;
        b.press("Change price").await;
        filled(&b).await;
        b.keys(ESCAPE).await;

        // The book carries it; close half, then the rest.
        b.goto(&format!("{home}/book")).await;
        b.until("main", "carrying it", |t| t.contains("2 × iron condor"))
            .await;
        let row = b
            .run(
                "return [...document.querySelectorAll('tbody')].find((t) => \
                         t.textContent.includes('2 × iron condor')).dataset.testid",
            )
            .await;
        let row = format!("[data-testid={}]", row.as_str().unwrap_or_default());
        b.says(&row, &["38 d", "half", "all", "roll"]).await;
        b.click(&format!("{row} [aria-label^='legs and more']"))
            .await;
        b.says(
            &row,
            &["max profit", "max loss", "break-even", "202.5 call"],
        )
        .await;
        b.find(&format!("{row} svg[role=img]")).await;
        b.accessible("book").await;

        // The campaign that was rolled twice: in a sentence, with every leg it ever held, chapters
        // that come to what the book says; it is named, and found in the book by its tag.
        b.run(
            "[...document.querySelectorAll('main a')].find((a) => \
             a.textContent.includes('bear call vertical')).click()",
        )
        .await;
        b.until("[data-testid=campaign-sentence]", "told", |t| {
            t.starts_with("Bear call vertical 600/580 on ZORV since 5 Feb 2031")
                && t.contains("realised −558.00")
                && t.ends_with("it ends in profit nowhere.")
        })
        .await;
        // Two legs, rolled twice.
        let six = "if (document.querySelectorAll('[data-stretch]').length !== 6) throw 'not six';";
        b.run(six).await;
        let chapters = ["opened", "rolled", "in all", "−564.50"];
        b.says("[data-testid=chapters]", &chapters).await;
        b.accessible("campaign").await;
        b.write("[aria-label=Name]", "the falling knife").await;
        b.write("[aria-label=Tags]", "late, pressed").await;
        b.press("keep").await;
        b.until("main h1", "named", |t| {
            t.eq_ignore_ascii_case("the falling knife")
        })
        .await;
        b.goto(&format!("{home}/book")).await;
        b.write("[aria-label='Find in the book']", "pressed").await;
        b.until("main tfoot", "one of all", |t| t.starts_with("1 of "))
            .await;
        b.goto(&format!("{home}/book")).await;
        b.find(&row).await;

        // A stop on the whole package watches the market until it is cancelled.
        b.click(&format!("{row} [aria-label^='close all']")).await;
        b.press("stop").await;
        b.write("[aria-label='Price of the stop']", "9.50").await;
        b.accessible("ticket of a stop").await;
        b.press("Read back").await;
        b.until("[role=dialog]", "told", |t| {
            t.contains(
                "held until the middle stands at 9.50 \
            debit or worse, then at the market",
            )
        })
        .await;
        b.press("Place order").await;
        b.until("[data-testid=order-state]", "watching", |t| t == "watching")
            .await;
        b.until("[role=dialog]", "its level", |t| {
            t.contains(
                "stop at 9.50 debit, watching the \
            middle",
            )
        })
        .await;
        b.press("Cancel order").await;
        b.until("[data-testid=order-state]", "cancelled", |t| {
            t == "cancelled"
        })
        .await;
        b.keys(ESCAPE).await;
        for (button, held, quantity) in [
            ("close half", "2 × iron condor", "1"),
            ("close all", "1 × iron condor", "1"),
        ] {
            b.until(&row, held, |t| t.contains(held)).await;
            b.click(&format!("{row} [aria-label^='{button}']")).await;
            b.find("#quantity").await;
            assert_eq!(
                b.run("return document.querySelector('#quantity').value")
                    .await,
                quantity
            );
            b.press_starting("cross").await;
            b.press("Read back").await;
            b.press("Place order").await;
            filled(&b).await;
            b.keys(ESCAPE).await;
        }
        let others = |t: &str| {
            t.contains("Book") && t.contains("VXLO") && !t.contains("NMOU 1 × iron condor")
        };
        b.until("main", "without it", others).await;
        b.gone(&row).await;

        // The result is booked, buying power is back but for the result, and the ledger adds up.
        b.goto(&format!("{home}/ledger")).await;
        b.until("[data-testid=reconciled]", "reconciled", |t| {
            t.ends_with(
                "It reconciles to the \
            cent.",
            )
        })
        .await;
        b.accessible("ledger").await;
        let after = b.api("/api/ledger").await;
        let lines = |l: &Value| l["lines"].as_array().map_or(0, Vec::len);
        assert!(
            lines(&after) >= lines(&ledger) + 3,
            "one line for each execution"
        );
        let gained = amount(&after["realised"])
            - amount(&ledger["realised"])
            - (amount(&after["fees"]) - amount(&ledger["fees"]));
        b.until(
            "[data-testid=buying-power]",
            "back but for the result",
            |t| near(cents(t), start + gained),
        )
        .await;

        // Find, keys, and an address that is nothing.
        b.keys("/").await;
        b.find("[aria-label='Symbol, view or command']").await;
        b.accessible("find").await;
        b.keys("tolv").await;
        b.keys(ENTER).await;
        b.until("h1", "Tolvane Bank", |t| t == "Tolvane Bank").await;
        b.keys("?").await;
        b.until("[role=dialog]", "the keys", |t| {
            t.contains("one strike down: the whole structure")
        })
        .await;
        b.accessible("keys").await;
        b.keys(ESCAPE).await;

        // Columns are chosen and remembered; a chain of packages makes a draft by one click.
        b.press("show ▾").await;
        b.find("[aria-label='What is shown']").await;
        b.accessible("what is shown").await;
        b.run(
            "[...document.querySelectorAll('[aria-label=\\'What is shown\\'] label')].find((l) \
               => l.innerText.includes('gamma')).click()",
        )
        .await;
        b.until("[data-testid=chain-heads]", "with gamma", |t| {
            t.contains('Γ')
        })
        .await;
        b.keys(ESCAPE).await;
        b.goto(&format!("{home}/chain/TLVN")).await;
        b.until("[data-testid=chain-heads]", "with gamma still", |t| {
            t.contains('Γ')
        })
        .await;
        b.press("packages").await;
        b.until("thead", "packages", |t| t.contains("return %"))
            .await;
        b.accessible("packages").await;
        b.click("tr:nth-child(14) [data-package]").await;
        b.until("[data-testid=structure-name]", "a vertical", |t| {
            t.starts_with("bull put vertical")
        })
        .await;

        // The bench judges it: outline and dates, Greeks, grid, chance.
        b.keys("4").await;
        b.find("[data-testid=bench-outline]").await;
        b.until("[data-testid=read-out]", "profits", |t| {
            t.contains("today") && t.contains("in 19 d")
        })
        .await;
        let tabs = [
            ("outline", "today"),
            ("time map", "break-even"),
            ("Greeks", "change of Δ"),
            ("grid", "copy as CSV"),
            ("chance", "reaches"),
            ("compare", "my target price"),
        ];
        for (tab, there) in tabs {
            b.press(tab).await;
            b.until("main", there, |t| t.contains(there)).await;
            b.accessible(tab).await;
        }
        b.goto(&format!("{home}/chain/QQQQ")).await;
        b.until("[role=alert]", "a refusal", |t| {
            t.contains("not a known symbol; known: WXMR")
        })
        .await;
        b.keys(LEFT).await;
        drop(program);
    })
    .await;
}
