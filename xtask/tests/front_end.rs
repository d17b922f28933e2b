//! The front end's unit tests, started with all others.

use std::path::Path;
use std::process::Command;

/// Laws of the pure parts of the page: moves on drafts, contracts, money, axis, contours, rows.
#[test]
fn the_pure_parts_of_the_page_hold_their_laws() {
    let web = Path::new(env!("CARGO_MANIFEST_DIR")).join("../web");
    let npm = |args: &[&str]| {
        Command::new("npm")
            .args(args)
            .current_dir(&web)
            .output()
            .expect("npm is installed (Node.js 20.19 or later)")
    };
    if !web.join("node_modules/.package-lock.json").exists() {
        let installed = npm(&["ci", "--no-audit", "--no-fund"]);
        assert!(
            installed.status.success(),
            "{}",
            String::from_utf8_lossy(&installed.stderr)
        );
    }
    let ran = npm(&["run", "--silent", "test"]);
    assert!(
        ran.status.success(),
        "{}{}",
        String::from_utf8_lossy(&ran.stdout),
        String::from_utf8_lossy(&ran.stderr)
    );
}
