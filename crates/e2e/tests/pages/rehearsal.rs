//! Rehearsal in a browser: three months by hand with an adjustment and a branch; a drill built on the
//! screen, played, swept, compared, gone on from by hand and set beside the account; lessons of the demo.

use e2e::{Browser, Program, in_browser};
use serde_json::{Value, json};

/// Takes the clock of the run ahead by the one field.
async fn go_to(b: &Browser, where_to: &str, arrives: &str) {
    b.write("[aria-label='go to']", where_to).await;
    b.keys(e2e::ENTER).await;
    let there = arrives.to_owned();
    b.until("[aria-label=Rehearsal]", arrives, move |t| {
        t.contains(&there) && !t.contains("on the way")
    })
    .await;
}

/// Sends what the ticket shows at the market, and waits until it is filled.
async fn send(b: &Browser) {
    b.until("[data-ticket]", "its market", |t| t.contains("Read back"))
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
    b.keys(e2e::ESCAPE).await;
}

async fn ledger(b: &Browser, run: &str) -> Value {
    b.api(&format!("{run}/api/ledger")).await["lines"].clone()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn past_days_by_hand_and_by_rules() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("demo.db");
    in_browser(move |b| async move {
        let program = Program::demo(&data, 0);
        b.enter(&program).await;
        b.find("[data-cell]").await;
        let home = program.door.address.clone();
        let account = ledger(&b, "").await;

        // A run at a past session, on one symbol: the frame says so on every screen.
        b.goto(&format!("{home}/rehearsal")).await;
        b.write("[aria-label='name of the run']", "Three months").await;
        b.write("[aria-label='first session']", "9 Sep 2030").await;
        b.select("[aria-label=symbol]", "TKZR").await;
        b.press("begin").await;
        b.until("[data-testid=run-name]", "its name", |t| t == "three-months")
            .await;
        b.find("[data-cell]").await;
        b.until("[aria-label=Rehearsal]", "its day", |t| t.contains("9 Sep 2030"))
            .await;
        b.accessible("a run").await;
        let title = b.run("return document.title").await;
        assert!(
            title.as_str().is_some_and(|t| t.contains("three-months") && t.contains("2030-09-09")),
            "{title}"
        );
        go_to(&b, "10:15", "9 Sep 2030 10:15").await;

        // A vertical built in that day's chain, with a reason and a tag.
        let keys = "const cells = [...document.querySelectorAll('[data-cell$=put-bid]')];
            const half = Math.floor(cells.length / 2) + 3;
            cells[half].click();
            return cells[half + 3].dataset.cell.replace('bid', 'ask');";
        let far = b.run(keys).await;
        let far = far.as_str().unwrap_or_default().to_owned();
        b.click(&format!("[data-cell='{far}']")).await;
        b.until("[data-testid=sentence]", "a structure", |t| t.contains("vertical"))
            .await;
        b.keys("t").await;
        b.write("[aria-label=Why]", "The trend holds").await;
        b.write("[aria-label=Tags]", "income, autumn").await;
        send(&b).await;
        let run = "/runs/three-months";
        let book = b.api(&format!("{run}/api/book")).await["positions"][0].clone();
        let id = book["campaign"].clone();
        go_to(&b, "3 weeks", "30 Sep 2030 10:15").await;

        // An adjustment: the strikes go a month on, in one order of the same campaign.
        b.goto(&format!("{home}{run}/rework/{id}")).await;
        b.until("[aria-label='In words and money']", "as it is held", |t| {
            t.contains("Nothing is changed yet")
        })
        .await;
        let later = "const head = [...document.querySelectorAll('section[aria-label=Moves] h2')][0];
            [...head.parentElement.querySelectorAll('button')].find((x) => x.textContent === 'later').click();";
        b.run(later).await;
        b.until("[data-testid=rework-change]", "a roll", |t| t.contains("opens"))
            .await;
        b.keys("t").await;
        send(&b).await;
        b.goto(&format!("{home}{run}/campaign/{id}")).await;
        b.until("main", "why it was opened", |t| {
            t.contains("The trend holds") && t.contains("rolled")
        })
        .await;
        b.press("next date").await;
        b.until("[aria-label=Rehearsal]", "a later date", |t| {
            t.contains(" 09:30") && !t.contains("on the way")
        })
        .await;
        go_to(&b, "2030-12-10 close", "10 Dec 2030 16:00").await;
        let lived = ledger(&b, run).await;

        // A branch from before the adjustment: the old run stays as it is.
        b.goto(&format!("{home}/rehearsal")).await;
        b.press_starting("looks (").await;
        b.click("[aria-label='branch three-months from 30 Sep 2030 10:15']").await;
        b.until("[data-testid=run-name]", "the branch", |t| t == "three-months-2")
            .await;
        let fork = ledger(&b, "/runs/three-months-2").await;
        let count = |v: &Value| v.as_array().map_or(0, Vec::len);
        assert!(count(&fork) > 1 && count(&fork) < count(&lived), "{fork}");
        go_to(&b, "1 week", "7 Oct 2030 10:15").await;
        assert_eq!(ledger(&b, run).await, lived);
        assert_eq!(ledger(&b, "").await, account);
        b.goto(&format!("{home}/rehearsal")).await;
        for name in ["three-months", "three-months-2", "summer-condors"] {
            b.click(&format!("[aria-label='compare {name}']")).await;
        }
        b.find("svg[aria-label='Value of the runs over time']").await;
        b.accessible("runs").await;

        // A drill of the demo opened and changed; it is played as it is written.
        b.goto(&format!("{home}/rehearsal/drills")).await;
        b.find("table[aria-label=Cycles] tbody tr").await;
        b.press_starting("kept (2)").await;
        b.press_starting("Wexmoor condor").await;
        b.keys(e2e::ESCAPE).await;
        b.until("ul[aria-label='In plain words']", "its sentences", |t| {
            t.contains("Once for each monthly expiration") && t.contains("built") | t.contains("anew")
        })
        .await;
        b.write("[aria-label='days left at the most']", "45").await;
        b.press("+ or when").await;
        b.until("ul[aria-label='In plain words']", "what was changed", |t| {
            t.contains("38 to 45 days left") && t.contains("21 days left")
        })
        .await;
        b.accessible("a drill").await;
        // One cycle, look by look.
        b.click("[aria-label='show cycle 3']").await;
        b.find("section[aria-label='Cycle 3']").await;
        b.run("document.querySelector('[aria-label=look]').focus()").await;
        b.keys(e2e::RIGHT).await;
        b.until("section[aria-label='Cycle 3']", "the second look", |t| {
            t.contains("look 2 of") && t.contains("hold")
        })
        .await;
        // Kept under a name of its own, and compared with the other.
        b.press_starting("kept (2)").await;
        b.write("[aria-label='name to keep the drill under']", "Condor, sooner").await;
        b.press("keep").await;
        b.until("body", "three are kept", |t| t.contains("kept (3)")).await;
        for name in ["Condor, sooner", "Wexmoor condor, built anew once"] {
            b.click(&format!("[aria-label='compare {name}']")).await;
        }
        b.keys(e2e::ESCAPE).await;
        b.until("section[aria-label='Drills side by side'] tbody", "both", |t| {
            t.contains("Condor, sooner") && t.contains("built anew once")
        })
        .await;
        // Several numbers in a field: all of them are played.
        b.write("[aria-label='leg 2: strike']", "-30, -45, -60").await;
        b.until("section[aria-label='All combinations']", "three drills", |t| {
            t.contains("play 3 drills")
        })
        .await;
        b.press("play 3 drills").await;
        b.until("section[aria-label='All combinations']", "what choosing brought", |t| {
            t.contains("best of many looks better than it is") && t.contains("in the second")
        })
        .await;
        b.accessible("a sweep").await;
        b.write("[aria-label='leg 2: strike']", "-45").await;

        // Beside the account: it looks at the market of now, and sends nothing.
        b.goto(&format!("{home}/rehearsal/beside")).await;
        b.press("Condor, sooner").await;
        b.until("section[aria-label='Condor, sooner']", "since now", |t| {
            t.contains("beside the account since 11 Mar 2031")
        })
        .await;
        b.tell("/api/clock", json!({ "goTo": "2031-04-10" })).await;
        b.goto(&format!("{home}/rehearsal/beside")).await;
        b.until("section[aria-label='Condor, sooner']", "what it would have done", |t| {
            t.contains("It did last") && t.contains("open")
        })
        .await;
        let bells = b.api("/api/bells").await.to_string();
        assert!(bells.contains("Condor, sooner") && bells.contains("would enter"), "{bells}");
        b.press("into the draft").await;
        b.until("[data-testid=bench-outline], main", "the bench", |t| t.contains("condor"))
            .await;

        // Lessons: by tag, its campaigns, the road not taken, a rule that is asked about.
        b.goto(&format!("{home}/lessons")).await;
        b.select("[aria-label='divided by']", "tag").await;
        b.press("income").await;
        b.until("section[aria-label=Campaigns]", "those of the tag", |t| {
            t.contains("Campaigns: income")
        })
        .await;
        b.write("[aria-label=limit]", "40").await;
        b.press("ask").await;
        b.until("section[aria-label='The road not taken']", "the rule asked about", |t| {
            t.contains("leave when it has made 40 % of its max profit or more")
        })
        .await;
        b.accessible("lessons").await;

        // From a look of a drill on by hand: a run with what was held as its draft.
        b.goto(&format!("{home}/rehearsal/drills")).await;
        b.find("section[aria-label='Cycle 1']").await;
        b.press("go on from here by hand").await;
        b.until("[data-testid=run-name]", "a run of its own", |t| t.starts_with("condor-sooner-1"))
            .await;
        b.until("main", "the bench of that day", |t| t.contains("condor"))
            .await;
        let complaints = b.complaints().await;
        assert!(complaints.is_empty(), "{complaints:?}");
    })
    .await;
}
