//! Speed as a trader meets it, printed: start to first page, nudge to repaint, cost of pushing a
//! chain. Run by `cargo xtask measure` against the released program.

use std::time::{Duration, Instant};

use e2e::{Browser, Program, in_browser};
use serde_json::json;

/// Draws of each figure.
const NUDGES: usize = 100;
const STARTS: usize = 5;
/// How long the pushing is watched.
const WATCHED: Duration = Duration::from_secs(20);

#[tokio::main]
async fn main() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("demo.db");
    // The first start makes the demo data; what is measured is an existing database.
    drop(Program::demo(&data, 0));
    in_browser(move |b| async move {
        let mut starts = Vec::new();
        for _ in 0..STARTS {
            let began = Instant::now();
            let program = Program::demo(&data, 0);
            b.enter(&program).await;
            b.find("[data-cell]").await;
            starts.push(began.elapsed().as_secs_f64() * 1e3);
        }
        report(
            "program start to first rows on the page",
            "ms",
            starts,
            2_000.0,
        );

        let program = Program::demo(&data, 0);
        b.enter(&program).await;
        b.find("[data-cell]").await;
        let floor = floor(&b).await;
        let least = middle(&floor);
        report(
            "this machine's floor: a message echoed by the program, one cell painted",
            "ms",
            floor,
            50.0,
        );
        let by_hand = |what: &str, values: Vec<f64>| {
            let [median, late] = [middle(&values), late(&values)].map(|v| v / least);
            report(what, "ms", values, 50.0);
            println!("  {median:.1} times the floor, 95 % under {late:.1} (wanted under 2 and 3)");
        };
        by_hand(
            "nudge of a four-leg draft to its repaint, quotes running",
            nudges(&b).await,
        );
        b.run_async(&format!("{SEARCH} {}", "search.over(); done(true);"))
            .await;
        report(
            "the same nudge while a search over every underlying runs",
            "ms",
            nudges(&b).await,
            60.0,
        );
        b.run("window.searching.abort(); window.searching = undefined;")
            .await;
        scouting(&b).await;
        b.run_async(&format!("{SWEEP} sweep.over(); done(true);"))
            .await;
        report(
            "the same nudge while a hundred drills are played over and over",
            "ms",
            nudges(&b).await,
            60.0,
        );
        let stop = "const [done] = arguments; const began = performance.now();
            window.sweeping.abort(); window.sweeping = undefined;
            done(performance.now() - began);";
        b.run_async(stop).await;
        rehearsing(&b, &program).await;
        by_hand(
            "drag of a leg by one row to the repaint of the outline",
            drags(&b).await,
        );
        b.keys("e").await;
        b.find("[data-testid=bench-date]").await;
        by_hand(
            "step of the bench's date slider to its repaint",
            slides(&b, "date", "bench-date").await,
        );
        by_hand(
            "step of the bench's volatility slider to its repaint",
            slides(&b, "volatility", "bench-today").await,
        );
        report(
            "a move of rework asked and answered, before and after judged",
            "ms",
            reworks(&b).await,
            30.0,
        );
        report(
            "ways out of each campaign in turn, the best judged in full",
            "ms",
            ways_out(&b).await,
            1_000.0,
        );
        let (painted, cores) = sixty(&b, &program).await;
        report(
            "a book of sixty campaigns, from its link to its last row painted",
            "ms",
            painted,
            100.0,
        );
        report(
            "the program while that book is followed, quotes running",
            "% of one core",
            vec![100.0 * cores],
            10.0,
        );
        for (width, height, wanted) in [(1280, 800, 5.0), (1920, 1500, 10.0)] {
            b.resize_to(width, height).await;
            let (dropped, frames) = frames(&b, &program).await;
            report(
                &format!(
                    "frames later than a sixtieth of a second by half, all rows of WXMT at \
                     {width} × {height}, quotes running"
                ),
                "% of frames",
                vec![dropped],
                wanted,
            );
            println!("  of {frames} frames");
        }
        b.resize(1280).await;
        b.goto("about:blank").await;
        let cores = pushing(&b, &program).await;
        report(
            "pushing twelve WXMT expirations 4 times a second",
            "% of one core",
            vec![cores * 100.0],
            30.0,
        );
        b.enter(&program).await;
        report(
            "a campaign switched out of the whole book, and in again, to the repaint of its map",
            "ms",
            switches(&b, &program).await,
            60.0,
        );
        report(
            "memory of the running demo",
            "MB",
            vec![resident(program.id())],
            300.0,
        );
    })
    .await;
}

/// A search in the page: `search.one(symbols)` answers when its first rows came and when it ended, and
/// `search.over()` searches everything again and again until `window.searching` is aborted.
const SEARCH: &str = "const [done] = arguments;
    const families = ['single', 'vertical', 'straddle', 'strangle', 'ratio', 'butterfly',
      'butterfly-skewed', 'condor', 'condor-skewed', 'calendar', 'diagonal', 'covered', 'protected',
      'collar', 'shares'];
    const search = {
      all: () => fetch('/api/scout/symbols?by=2031-04-18').then((r) => r.json()),
      one: async (symbols, signal) => {
        const began = performance.now();
        const answer = await fetch('/api/scout/search', { method: 'POST', signal,
          headers: { 'content-type': 'application/json' }, body: JSON.stringify({ symbols, families,
            expectation: { by: '2031-04-18', low: -1, high: 1, unit: 'deviations', sure: 0.75,
              law: 'smile' }, price: '0.5', reach: 2, strikes: 24, expirations: 4,
            limits: { level: true, marketWidth: 0.2 } }) });
        const reader = answer.body.pipeThrough(new TextDecoderStream()).getReader();
        let [first, text] = [0, ''];
        for (let got = await reader.read(); !got.done; got = await reader.read()) {
          first ||= performance.now() - began;
          text = (text + got.value).slice(-200);
        }
        return [first, performance.now() - began];
      },
      over: async () => {
        const own = new AbortController();
        window.searching = own;
        const symbols = await search.all();
        while (!own.signal.aborted) await search.one(symbols, own.signal).catch(() => {});
      },
    };";

/// Searches over one underlying and over all, and the market as a table.
async fn scouting(b: &Browser) {
    let (mut first, mut whole) = (Vec::new(), Vec::new());
    for symbol in ["NMOU", "WXMR", "VXLO", "SKRY", "BRLW"] {
        let ask = format!("{SEARCH} search.one(['{symbol}']).then(done);");
        let found = b.run_async(&ask).await;
        first.extend(found[0].as_f64());
        whole.extend(found[1].as_f64());
    }
    report("scout, one underlying: its first rows", "ms", first, 200.0);
    report("scout, one underlying, all families", "ms", whole, 1_000.0);
    let all = format!("{SEARCH} search.all().then((a) => search.one(a)).then(done);");
    let all = b.run_async(&all).await;
    report(
        "scout, every underlying, all families",
        "ms",
        all[1].as_f64().into_iter().collect(),
        10_000.0,
    );
    let table = "const [done] = arguments; const began = performance.now();
        fetch('/api/scout/market').then((r) => r.json()).then(() => done(performance.now() - began));";
    let mut times = Vec::new();
    for _ in 0..10 {
        times.extend(b.run_async(table).await.as_f64());
    }
    report("the market as a table", "ms", times, 50.0);
}

/// A sweep in the page: `sweep.once(signal)` answers after how long it ended, and `sweep.over()` plays it
/// again and again until `window.sweeping` is aborted.
const SWEEP: &str = "const [done] = arguments;
    const drill = { name: 'sweep', symbol: 'NMOU', from: '2029-01-02', to: '2031-03-10', looks: ['close'],
      price: 0.5, fees: true, stake: 5000,
      enter: { expiration: { kind: 'monthly', days: 45, least: 38 }, every: 'expiration', size: 1, legs: [
        { side: 'sell', quantity: 1, right: 'put', strike: { delta: [0.1, 0.11, 0.12, 0.13, 0.14, 0.15, 0.16, 0.17, 0.18, 0.19] } },
        { side: 'buy', quantity: 1, right: 'put', strike: { leg: 1, points: -5 } },
        { side: 'sell', quantity: 1, right: 'call', strike: { delta: 0.2 } },
        { side: 'buy', quantity: 1, right: 'call', strike: { leg: 3, points: 5 } }] },
      leave: { when: [{ profit: { percent_of_max: 50 } }, { days_left: [3, 4, 5, 6, 7, 8, 9, 10, 11, 12] }] } };
    const sweep = {
      once: async (signal) => {
        const began = performance.now();
        const answer = await fetch('/api/drills/sweep', { method: 'POST', signal,
          headers: { 'content-type': 'application/json' }, body: JSON.stringify({ drill }) });
        const reader = answer.body.getReader();
        for (let got = await reader.read(); !got.done; got = await reader.read());
        return performance.now() - began;
      },
      over: async () => {
        const own = new AbortController();
        window.sweeping = own;
        while (!own.signal.aborted) await sweep.once(own.signal).catch(() => {});
      },
    };";

/// A hundred drills, how soon they stop, and a session of a run by hand.
async fn rehearsing(b: &Browser, program: &Program) {
    let whole = b
        .run_async(&format!("{SWEEP} sweep.once().then(done);"))
        .await;
    report(
        "a hundred drills of twenty-six cycles, four legs, each close",
        "ms",
        whole.as_f64().into_iter().collect(),
        60_000.0,
    );
    println!(
        "the program after that sweep: {:.0} MB",
        resident(program.id())
    );
    // How long the program works on after nobody listens any more.
    let began = std::time::Instant::now();
    b.run_async(&format!(
        "{SWEEP} sweep.over(); setTimeout(() => done(true), 300);"
    ))
    .await;
    b.run("window.sweeping.abort(); window.sweeping = undefined;")
        .await;
    let aborted = std::time::Instant::now();
    let ended = loop {
        let before = busy(program.id());
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
        // Less than a third of a core is the program by itself.
        if busy(program.id()) - before < 0.015 || began.elapsed().as_secs() > 20 {
            break aborted.elapsed().as_secs_f64() * 1_000.0 - 50.0;
        }
    };
    report(
        "a sweep that is stopped: until the program rests",
        "ms",
        vec![ended.max(0.0)],
        500.0,
    );
    b.tell(
        "/api/runs",
        json!({ "name": "measured", "at": "2030-03-11" }),
    )
    .await;
    let step = "const [done] = arguments; const began = performance.now();
        fetch('/runs/measured/api/clock', { method: 'POST', headers: { 'content-type': 'application/json' },
          body: JSON.stringify({ goTo: '1 session' }) }).then((r) => r.json()).then(() => done(performance.now() - began));";
    let mut times = Vec::new();
    for _ in 0..20 {
        times.extend(b.run_async(step).await.as_f64());
    }
    report("one session of a run by hand", "ms", times, 150.0);
}

/// Seconds of processor time of a process (Linux).
fn busy(id: u32) -> f64 {
    let stat = std::fs::read_to_string(format!("/proc/{id}/stat")).unwrap_or_default();
    let after = stat.rsplit(')').next().unwrap_or_default();
    let ticks = after.split_whitespace().skip(11).take(2);
    ticks.filter_map(|t| t.parse::<f64>().ok()).sum::<f64>() / 100.0
}

/// Resident memory of a process (Linux).
fn resident(id: u32) -> f64 {
    let status = std::fs::read_to_string(format!("/proc/{id}/status")).unwrap_or_default();
    let kilobytes = status.lines().find_map(|l| {
        l.strip_prefix("VmRSS:")?
            .split_whitespace()
            .next()?
            .parse::<f64>()
            .ok()
    });
    kilobytes.map_or(f64::NAN, |k| k / 1024.0)
}

fn report(what: &str, unit: &str, mut values: Vec<f64>, wanted: f64) {
    values.sort_by(f64::total_cmp);
    let (least, most) = (values[0], values[values.len() - 1]);
    println!(
        "{what}: median {:.1} {unit} ({least:.1} to {most:.1}, 95 % under {:.1}, {} draws; \
         wanted under {wanted})",
        middle(&values),
        late(&values),
        values.len()
    );
}

/// The value that so many in a hundred are under.
fn part(values: &[f64], of_hundred: usize) -> f64 {
    let mut sorted = values.to_vec();
    sorted.sort_by(f64::total_cmp);
    sorted[(sorted.len() * of_hundred / 100).min(sorted.len() - 1)]
}

fn middle(values: &[f64]) -> f64 {
    part(values, 50)
}

fn late(values: &[f64]) -> f64 {
    part(values, 95)
}

/// The least that any answer of the program costs on this machine: a word sent and echoed by the
/// stream, one cell of the page written and painted, quotes running.
async fn floor(b: &Browser) -> Vec<f64> {
    // One stream for all draws: what a new one is told first is not part of an echo.
    let open = "const [done] = arguments;
        window.echo = new WebSocket(`ws://${location.host}/api/stream`);
        window.echo.onopen = () => setTimeout(() => done(true), 1000);";
    b.run_async(open).await;
    let script = "const [done] = arguments;
        const cell = document.querySelector('[data-strike]');
        const text = cell.textContent;
        const began = performance.now();
        window.echo.onmessage = (m) => {
          if (JSON.parse(m.data).type !== 'alive') return;
          window.echo.onmessage = null;
          cell.textContent = `${text} `;
          requestAnimationFrame(() => setTimeout(() => {
            cell.textContent = text; done(performance.now() - began); }, 0));
        };
        window.echo.send(JSON.stringify({ type: 'alive' }));";
    let mut out = Vec::new();
    for _ in 0..NUDGES {
        out.extend(b.run_async(script).await.as_f64());
        tokio::time::sleep(Duration::from_millis(110)).await;
    }
    b.run("window.echo.close()").await;
    out
}

/// An iron condor nudged up and down: from the key until the frame that shows the new strikes is
/// painted, clocked in the page.
async fn nudges(b: &Browser) -> Vec<f64> {
    let pick = "const strikes = [...document.querySelectorAll('[data-strike]')].map((t) => \
        t.textContent);
        const middle = Math.floor(strikes.length / 2);
        const click = (i, side, what) => \
        document.querySelector(`[data-cell='${strikes[i]}-${side}-${what}']`).click();
        click(middle - 5, 'call', 'bid'); click(middle - 7, 'call', 'ask'); click(middle + 5, \
        'put', 'bid'); click(middle + 7, 'put', 'ask');";
    b.run(pick).await;
    b.until("[data-testid=structure-name]", "a condor", |t| {
        t.starts_with("iron condor")
    })
    .await;
    let nudge = |key: &str| {
        format!(
            "const [done] = arguments;
            const name = document.querySelector('[data-testid=structure-name]');
            const began = performance.now();
            new MutationObserver((_, o) => {{ o.disconnect(); requestAnimationFrame(() => \
            setTimeout(() => done(performance.now() - began), 0)); }})
                .observe(name, {{ characterData: true, childList: true, subtree: true }});
            document.body.dispatchEvent(new KeyboardEvent('keydown', {{ key: '{key}', bubbles: \
            true, cancelable: true }}));"
        )
    };
    let mut out = Vec::new();
    for i in 0..NUDGES {
        out.extend(
            b.run_async(&nudge(if i % 2 == 0 { "]" } else { "[" }))
                .await
                .as_f64(),
        );
        tokio::time::sleep(Duration::from_millis(110)).await;
    }
    out
}

/// A leg's tab dragged to the next row and back, clocked from the pointer's move to the frame that
/// shows the other outline.
async fn drags(b: &Browser) -> Vec<f64> {
    let script = |down: bool| {
        format!(
            "const [done] = arguments;
            const tab = document.querySelector('[data-leg*=P]');
            const box = tab.getBoundingClientRect();
            const at = (y) => ({{ bubbles: true, button: 0, clientX: box.x + 20, clientY: y }});
            const path = document.querySelector('[data-testid=outline]');
            tab.dispatchEvent(new PointerEvent('pointerdown', at(box.y + 9)));
            const began = performance.now();
            const given = setTimeout(() => done(null), 2000);
            new MutationObserver((_, o) => {{ o.disconnect(); requestAnimationFrame(() => \
            setTimeout(() => {{ clearTimeout(given); window.dispatchEvent(new \
            PointerEvent('pointerup', at(0))); done(performance.now() - began); }}, 0)); }})
                .observe(path, {{ attributes: true, attributeFilter: ['d'] }});
            window.dispatchEvent(new PointerEvent('pointermove', at(box.y + 9 + {})));",
            if down { 20 } else { -20 }
        )
    };
    let mut out = Vec::new();
    for i in 0..NUDGES {
        out.extend(b.run_async(&script(i % 2 == 0)).await.as_f64());
        tokio::time::sleep(Duration::from_millis(110)).await;
    }
    out
}

/// A slider of the bench moved by one step, clocked from the key to the frame that shows the moved
/// curve.
async fn slides(b: &Browser, label: &str, curve: &str) -> Vec<f64> {
    let step = |key: &str| {
        format!(
            "const [done] = arguments;
            const path = document.querySelector('[data-testid={curve}]');
            const given = setTimeout(() => done(null), 2000);
            const began = performance.now();
            new MutationObserver((_, o) => {{ o.disconnect(); requestAnimationFrame(() => \
            setTimeout(() => {{ clearTimeout(given); done(performance.now() - began); }}, 0)); }})
                .observe(path, {{ attributes: true, attributeFilter: ['d'] }});
            document.querySelector('[role=slider][aria-label={label}]').dispatchEvent(new \
            KeyboardEvent('keydown', {{ key: '{key}', bubbles: true, cancelable: true }}));"
        )
    };
    let mut out = Vec::new();
    for i in 0..NUDGES {
        out.extend(
            b.run_async(&step(if (i / 10) % 2 == 0 {
                "ArrowRight"
            } else {
                "ArrowLeft"
            }))
            .await
            .as_f64(),
        );
        tokio::time::sleep(Duration::from_millis(110)).await;
    }
    out
}

/// One campaign after the other switched out of the whole book and in again, clocked from the press to
/// the frame that shows the other map, quotes running.
async fn switches(b: &Browser, program: &Program) -> Vec<f64> {
    b.goto(&format!("{}/balance", program.door.address)).await;
    b.find("[data-testid=book-even]").await;
    let press = |chip: usize| {
        format!(
            "const [done] = arguments;
            const path = document.querySelector('[data-testid=book-even]');
            const chips = document.querySelectorAll('[aria-label=\"What is looked at\"] \
            button[aria-pressed]');
            const given = setTimeout(() => done(null), 2000);
            const began = performance.now();
            new MutationObserver((_, o) => {{ o.disconnect(); requestAnimationFrame(() => \
            setTimeout(() => {{ clearTimeout(given); done(performance.now() - began); }}, 0)); }})
                .observe(path, {{ attributes: true, attributeFilter: ['d'] }});
            chips[{chip}].click();"
        )
    };
    let mut out = Vec::new();
    for i in 0..NUDGES {
        // The first chip is all that is held; every one is pressed twice.
        out.extend(b.run_async(&press(1 + (i / 2) % 8)).await.as_f64());
        tokio::time::sleep(Duration::from_millis(110)).await;
    }
    out
}

/// The pressed side of each campaign in turn rolled on and back, clocked in the page.
async fn reworks(b: &Browser) -> Vec<f64> {
    let book = b.api("/api/book").await;
    let positions = book["positions"].as_array().cloned().unwrap_or_default();
    let short = |p: &&serde_json::Value| p["strip"]["shorts"][0].is_number();
    let ids: Vec<String> = positions
        .iter()
        .filter(short)
        .map(|p| p["campaign"].to_string())
        .collect();
    let mut out = Vec::new();
    for i in 0..NUDGES {
        let id = &ids[i % ids.len()];
        let ask = format!(
            "const [done] = arguments;
            const began = performance.now();
            fetch('/api/campaigns/{id}/rework', {{ method: 'POST',
              headers: {{ 'content-type': 'application/json' }},
              body: JSON.stringify({{ move: {{ roll: {{ part: 'pressed', expirations: 1, strikes: \
            0 }} }} }}) }}).then((r) => r.json()).then((made) =>
              done(made.change ? performance.now() - began : null));"
        );
        out.extend(b.run_async(&ask).await.as_f64());
        tokio::time::sleep(Duration::from_millis(40)).await;
    }
    out
}

/// Ways out of each campaign, clocked in the page; how many were looked at is told.
async fn ways_out(b: &Browser) -> Vec<f64> {
    let book = b.api("/api/book").await;
    let mut out = Vec::new();
    for p in book["positions"].as_array().into_iter().flatten() {
        let ask = format!(
            "const [done] = arguments;
            const began = performance.now();
            fetch('/api/campaigns/{}/ways', {{ method: 'POST',
              headers: {{ 'content-type': 'application/json' }}, body: '{{}}' }})
              .then((r) => r.json())
              .then((found) => done([performance.now() - began, found.looked]));",
            p["campaign"]
        );
        let found = b.run_async(&ask).await;
        println!(
            "  {}: {} looked at in {:.0} ms",
            p["title"],
            found[1],
            found[0].as_f64().unwrap_or(f64::NAN)
        );
        out.extend(found[0].as_f64());
    }
    out
}

/// The book with sixty campaigns: from the click on its link until its last row is painted, and the
/// share of a core that the program takes while it is followed.
async fn sixty(b: &Browser, program: &Program) -> (Vec<f64>, f64) {
    let open = "const [done] = arguments;
        (async () => {
          const ask = (path, body) => fetch(path, body && { method: 'POST',
            headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) })
            .then((r) => r.json());
          let held = (await ask('/api/book')).positions.length;
          const head = (await ask('/api/chain/NMOU')).head;
          const marks = head.marks.filter((m) => m.days > 10);
          for (let n = 0; held < 60 && n < 400; n += 1) {
            const key = marks[n % marks.length].key;
            const { blocks } = await ask(`/api/chain/NMOU?expiration=${encodeURIComponent(key)}`);
            const { rows } = blocks[0];
            const at = rows.findIndex((r) => r.at < head.level) + Math.floor(n / marks.length) % 8;
            if (!rows[at + 1]) continue;
            const legs = [[rows[at], 1], [rows[at + 1], -1]].map(([row, quantity]) =>
              ({ contract: row.put.contract, quantity }));
            const order = await ask('/api/orders', { clientId: `sixty ${n}`, symbol: 'NMOU', legs,
              quantity: 1, timeInForce: 'immediateOrCancel' });
            if (order.state === 'filled') held += 1;
          }
          done(held);
        })();";
    let held = b.run_async(open).await;
    println!("  {held} campaigns are open");
    let mut painted = Vec::new();
    for _ in 0..20 {
        b.goto(&format!("{}/ledger", program.door.address)).await;
        b.find("a[href='/book']").await;
        tokio::time::sleep(Duration::from_millis(600)).await;
        let go = format!(
            "const [done] = arguments;
            const began = performance.now();
            const given = setTimeout(() => done(null), 5000);
            const rows = () => document.querySelectorAll('tbody[data-testid^=position-]').length;
            new MutationObserver((_, o) => {{ if (rows() < {held}) return; o.disconnect();
              requestAnimationFrame(() => setTimeout(() => {{ clearTimeout(given);
                done(performance.now() - began); }}, 0)); }})
              .observe(document.body, {{ childList: true, subtree: true }});
            document.querySelector(\"a[href='/book']\").click();"
        );
        painted.extend(b.run_async(&go).await.as_f64());
    }
    let (began, before) = (Instant::now(), cpu_seconds(program.id()));
    tokio::time::sleep(WATCHED).await;
    let used = (cpu_seconds(program.id()) - before) / began.elapsed().as_secs_f64();
    (painted, used)
}

/// Share of late frames, in percent, while a large chain is followed; and how many frames there
/// were.
async fn frames(b: &Browser, program: &Program) -> (f64, u64) {
    b.keep(
        "chain-columns",
        &json!({
            "sides": "both",
            "columns": [
                "openInterest", "volume", "implied", "gamma", "theta", "vega", "theoretical",
                "middle", "delta",
            ],
        }),
    )
    .await;
    b.keep("chain-look", &json!({ "around": "all" })).await;
    b.goto(&format!("{}/chain/WXMT", program.door.address))
        .await;
    b.find("[data-cell]").await;
    tokio::time::sleep(Duration::from_secs(2)).await;
    let count = "const [done] = arguments;
        let [late, all, last] = [0, 0, performance.now()];
        const end = last + 15000;
        const frame = (now) => { all += 1; if (now - last > 25) late += 1; last = now; if (now < \
        end) requestAnimationFrame(frame); else done([100 * late / all, all]); };
        requestAnimationFrame(frame);";
    let found = b.run_async(count).await;
    b.run("localStorage.clear()").await;
    (
        found[0].as_f64().unwrap_or(f64::NAN),
        found[1].as_u64().unwrap_or(0),
    )
}

/// Share of a core the program needs while a page follows twelve expirations.
async fn pushing(b: &Browser, program: &Program) -> f64 {
    b.goto(&format!("{}/ledger", program.door.address)).await;
    let follow = "const [done] = arguments;
        fetch('/api/chain/WXMT').then((r) => r.json()).then(({ head }) => {
            const keys = head.marks.slice(0, 12).map((m) => m.key);
            window.pushed = { messages: 0, rows: 0 };
            window.follower = new WebSocket(`ws://${location.host}/api/stream`);
            window.follower.onopen = () => { window.follower.send(JSON.stringify({ type: 'watch', \
            symbol: 'WXMT', expirations: keys })); done([keys.length, head.marks.slice(0, \
            12).reduce((n, m) => n + m.strikes, 0)]); };
            window.follower.onmessage = (e) => { const m = JSON.parse(e.data); \
            window.pushed.messages += 1; if (m.type === 'rows') window.pushed.rows += \
            m.rows.length; };
        });";
    let listed = b.run_async(follow).await;
    tokio::time::sleep(Duration::from_secs(2)).await;
    b.run("window.pushed = { messages: 0, rows: 0 }").await;
    let (began, before) = (Instant::now(), cpu_seconds(program.id()));
    tokio::time::sleep(WATCHED).await;
    let used = (cpu_seconds(program.id()) - before) / began.elapsed().as_secs_f64();
    println!(
        "  {} expirations, {} strikes; pushed in {} s: {}",
        listed[0],
        listed[1],
        WATCHED.as_secs(),
        b.run("return window.pushed").await
    );
    used
}

/// User and system time of a process, from Linux's /proc (fields 14 and 15 of stat, in ticks of
/// 1/100 s).
fn cpu_seconds(process: u32) -> f64 {
    let stat = std::fs::read_to_string(format!("/proc/{process}/stat"))
        .expect("the program runs on Linux");
    let after = stat.rsplit(')').next().unwrap_or_default();
    let field = |n: usize| {
        after
            .split_whitespace()
            .nth(n - 3)
            .and_then(|t| t.parse::<f64>().ok())
            .unwrap_or(0.0)
    };
    (field(14) + field(15)) / 100.0
}
