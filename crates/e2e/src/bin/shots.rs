//! The pictures of docs/screenshots, from the demo data. Run by `cargo xtask shots`.

use std::time::Duration;

use e2e::{Browser, Program, in_browser, root};

#[tokio::main]
async fn main() {
    let folder = tempfile::tempdir().expect("a folder");
    let data = folder.path().join("demo.db");
    in_browser(move |b| async move {
        let program = Program::demo(&data, 0);
        let home = &program.address;
        b.goto(home).await;
        b.find("[data-cell]").await;
        for (contract, what) in [("205-call", "bid"), ("210-call", "ask"), ("170-put", "bid"), ("165-put", "ask")] {
            b.click(&format!("[data-cell='{contract}-{what}']")).await;
        }
        b.until("[data-testid=structure-name]", "a condor", |t| t.starts_with("iron condor")).await;
        b.run("document.activeElement.blur()").await;
        shot(&b, "chain").await;
        b.keys("t").await;
        b.find("[role=slider]").await;
        shot(&b, "ticket").await;
        b.keys(e2e::ESCAPE).await;
        b.keys("2").await;
        b.find("[data-testid=bench-outline]").await;
        shot(&b, "bench").await;
        b.goto(home).await;
        b.press("packages").await;
        b.find("[data-package]").await;
        shot(&b, "packages").await;
        for view in ["orders", "book", "ledger"] {
            b.goto(&format!("{home}/{view}")).await;
            b.find("main table tbody tr").await;
            shot(&b, view).await;
        }
        b.run("localStorage.setItem('theme', 'night')").await;
        b.goto(&format!("{home}/chain/NMOU")).await;
        b.find("[data-testid=structure-name]").await;
        shot(&b, "chain-night").await;
    })
    .await;
}

async fn shot(b: &Browser, name: &str) {
    let folder = root().join("docs/screenshots");
    std::fs::create_dir_all(&folder).unwrap_or_else(|e| panic!("{}: {e}", folder.display()));
    tokio::time::sleep(Duration::from_millis(900)).await;
    b.shot(&folder.join(format!("{name}.png"))).await;
    println!("docs/screenshots/{name}.png");
}
