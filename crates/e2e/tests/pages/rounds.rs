//! Rounds on the morning of the demo: the front door says which four of nine ask and why, each is
//! answered in its own way, by pointer or by keys; rules and bells are set and silenced; the record
//! keeps what was decided.

use e2e::{Browser, DOWN, ENTER, ESCAPE, Program, in_browser};
use serde_json::{Value, json};

/// The card of a campaign, by its symbol.
async fn card(b: &Browser, symbol: &str) -> Value {
    let script = format!(
        "const card = [...document.querySelectorAll('[data-ask]')].find((c) =>
           c.getAttribute('aria-label').startsWith('{symbol}'));
         return card ? card.innerText : null;"
    );
    b.run(&script).await
}

/// Presses a button of a card.
async fn press(b: &Browser, symbol: &str, button: &str) {
    let script = format!(
        "const card = [...document.querySelectorAll('[data-ask]')].find((c) =>
           c.getAttribute('aria-label').startsWith('{symbol}'));
         [...card.querySelectorAll('button')].find((x) =>
           x.textContent.startsWith('{button}')).click();"
    );
    b.run(&script).await;
}

/// Waits until a campaign asks no more.
async fn gone(b: &Browser, symbol: &str) {
    for _ in 0..600 {
        if card(b, symbol).await.is_null() {
            return;
        }
        tokio::time::sleep(std::time::Duration::from_millis(25)).await;
    }
    panic!("{symbol} still asks: {}", card(b, symbol).await);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn four_of_nine_ask_and_each_is_answered() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("demo.db");
    in_browser(move |b| async move {
        let program = Program::demo(&data, 0);
        b.enter(&program).await;
        b.tell("/api/clock", json!({ "running": false })).await;
        let home = program.door.address.clone();
        // The address alone leads to the front door.
        b.goto(&home).await;
        let headline = b
            .until("[data-testid=headline]", "a headline", |t| {
                t.contains("ask")
            })
            .await;
        assert!(
            headline.starts_with("Four of nine ask for you"),
            "{headline}"
        );
        b.accessible("rounds").await;
        for (symbol, why) in [
            ("VXLO", "distance to a sold strike"),
            ("TLVN", "time to an ex-date: 8 sessions, set at 8 sessions"),
            ("TNYBM1", "days left: 17 d, set at 17 d"),
            ("BRLW", "time to earnings or a decision: 1 session"),
        ] {
            let text = card(&b, symbol).await;
            let text = text.as_str().unwrap_or_default();
            assert!(
                text.contains(why) && text.contains("If nothing is done") && text.contains("since"),
                "{symbol}: {text}"
            );
        }
        // No campaign is in the list and among the others.
        let others = b.text("[aria-label='The others']").await;
        assert!(
            others.contains("ZORV") && !others.contains("VXLO"),
            "{others}"
        );

        // The straddle: not exercised, then let be until the day after its earnings.
        press(&b, "BRLW", "do not exercise it").await;
        b.until("[aria-label='Decided today']", "the first answer", |t| {
            t.contains("not to be exercised")
        })
        .await;
        press(&b, "BRLW", "let it be").await;
        b.press("a date").await;
        b.write("[aria-label='Until which date']", "13 Mar 2031")
            .await;
        b.write(
            "[aria-label='Let it be'] textarea",
            "sold before the news or not at all",
        )
        .await;
        b.press("Let it be").await;
        gone(&b, "BRLW").await;

        // The condor: let be until the price is somewhere else, by keys alone.
        b.keys(DOWN).await;
        b.keys("l").await;
        b.find("[aria-label='Let it be']").await;
        b.press("a price").await;
        b.write("[aria-label='Until which price']", "930").await;
        b.keys(ENTER).await;
        gone(&b, "VXLO").await;

        // The covered call is reworked: the key leads there with the campaign.
        let first = b
            .run("return document.querySelector('[data-ask]').ariaLabel")
            .await;
        assert!(
            first.as_str().is_some_and(|t| t.starts_with("TLVN")),
            "{first}"
        );
        b.keys("r").await;
        b.until("[aria-label='In words and money']", "its rework", |t| {
            t.contains("Nothing is changed yet")
        })
        .await;
        b.keys("1").await;
        b.find("[data-ask]").await;
        press(&b, "TLVN", "let it be").await;
        b.press("Let it be").await;
        gone(&b, "TLVN").await;

        // The strangle is closed at the middle: one click, one order, and it asks no more.
        let before = b.api("/api/orders").await.as_array().map_or(0, Vec::len);
        press(&b, "TNYBM1", "Close at the middle").await;
        gone(&b, "TNYBM1").await;
        let orders = b.api("/api/orders").await;
        assert_eq!(orders.as_array().map_or(0, Vec::len), before + 1);
        b.until("[data-testid=headline]", "nothing asks", |t| {
            t.starts_with("None of ")
        })
        .await;

        // What was decided stands in the day's record, with its note, and after a restart.
        let told = b.text("[aria-label='Decided today']").await;
        for said in [
            "not to be exercised",
            "let be until 13 Mar",
            "930.00 or above",
            "closed",
        ] {
            assert!(told.contains(said), "{said}: {told}");
        }
        assert!(told.contains("sold before the news"), "{told}");
        drop(program);
        let program = Program::demo(&data, 0);
        b.enter(&program).await;
        let kept = b.api("/api/rounds").await;
        assert_eq!(kept["decided"].as_array().map_or(0, Vec::len), 5, "{kept}");
    })
    .await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn rules_and_bells_are_set_ring_and_are_silenced() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("demo.db");
    in_browser(move |b| async move {
        let program = Program::demo(&data, 0);
        b.enter(&program).await;
        b.tell("/api/clock", json!({ "running": false })).await;
        b.tell("/api/bells/answer", json!({})).await;
        let home = program.door.address.clone();
        // A rule is written by one's own figure, read back as a sentence, and tried on what is closed.
        b.goto(&format!("{home}/rules")).await;
        b.press("+ days open").await;
        b.find("[aria-label='Limit']").await;
        b.write("[aria-label='Limit']", "12").await;
        b.press("What would it have done?").await;
        b.until(
            "form[aria-label='days open']",
            "what it would have done",
            |t| t.contains("closed campaigns that it counts for"),
        )
        .await;
        b.press("Set this rule").await;
        let time = b
            .until("section[aria-label='Time']", "its sentence", |t| {
                t.contains("has been open for 12 days or more")
            })
            .await;
        assert!(time.contains("holds now"), "{time}");
        b.accessible("rules").await;
        // It rings at once for what has been open longer: in the masthead, in the title, in rounds.
        let ringing = b
            .until("[data-testid=bells]", "bells that ring", |t| {
                t.chars().any(|c| c.is_ascii_digit() && c != '0')
            })
            .await;
        let title = b.run("return document.title").await;
        assert!(
            title.as_str().is_some_and(|t| t.starts_with('(')),
            "{title} {ringing}"
        );
        b.keys("1").await;
        b.until("[data-testid=headline]", "more ask", |t| {
            !t.starts_with("Four of nine")
        })
        .await;
        // Thrown away, it is silent: no bell of it rings, and the four are left.
        b.goto(&format!("{home}/rules")).await;
        b.find("[aria-label='throw away: days open']").await;
        b.click("[aria-label='throw away: days open']").await;
        b.until("section[aria-label='Time']", "it is gone", |t| {
            !t.contains("12 days")
        })
        .await;
        b.keys("1").await;
        b.until("[data-testid=headline]", "four again", |t| {
            t.starts_with("Four of nine")
        })
        .await;
        let bells = b.api("/api/bells").await;
        let rings = |all: &Value| {
            let all = all.as_array().cloned().unwrap_or_default();
            all.iter().filter(|x| x["rings"] == true).count()
        };
        assert_eq!(rings(&bells), 0, "{bells}");

        // A bell on a campaign's profit, again once it is back, with a note.
        b.click("[data-testid=bells]").await;
        b.press("a campaign").await;
        b.find("[aria-label='Figure of the bell']").await;
        b.select("[aria-label='Figure of the bell']", "profit")
            .await;
        b.write("[aria-label='Level of the bell']", "99999").await;
        b.write("[aria-label='Note of the bell']", "too good").await;
        b.press("Set the bell").await;
        let set = b
            .until("ul[aria-label=Set]", "the bell", |t| t.contains("too good"))
            .await;
        assert!(set.contains("profit at or above 99999"), "{set}");
        b.accessible("bells").await;
        b.keys(ESCAPE).await;

        // The daily record: fourteen months of closes, the last one explained, a note kept.
        b.goto(&format!("{home}/days")).await;
        let closes = b.until("[aria-label=Closes]", "closes", |t| {
            t.contains("10 Mar 2031")
        });
        assert!(closes.await.matches('\n').count() > 250);
        b.accessible("daily record").await;
        b.write("textarea", "a note of mine").await;
        b.run("document.activeElement.blur()").await;
        for _ in 0..200 {
            let days = b.api("/api/days").await;
            let last = days["days"].as_array().and_then(|d| d.last()).cloned();
            if last.is_some_and(|d| {
                d["note"]
                    .as_str()
                    .is_some_and(|n| n.ends_with("a note of mine"))
            }) {
                return;
            }
            tokio::time::sleep(std::time::Duration::from_millis(25)).await;
        }
        panic!("the note was not kept");
    })
    .await;
}
