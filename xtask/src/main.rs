//! What developers run: `cargo demo`, `cargo verify`, and `cargo xtask api | shots | load |
//! law | measure`.
//!
//! No dependencies, so that it builds in a second on a machine that has nothing yet.

mod rooms;
mod tools;

use std::process::ExitCode;

use tools::{Failure, browser, cargo, npm, output, root, run, same_text, web};

const HELP: &str = "\
cargo demo [options]   build everything and start it with the demo data (options go to `pikebell \
demo`)
cargo verify           install what the tests need, then lint and test everything
cargo xtask api        write openapi.json and the front end's types from the server
cargo xtask shots      take the pictures of docs/screenshots from the demo data
cargo xtask load [s]   fifty clients send 200 orders a second together, for a minute; none may be \
lost or doubled
cargo xtask law [n]    a million random operations on the engine, released; the laws of its books \
hold after each
cargo xtask measure    print the speed figures: benches, browser, load, start, memory; kill the \
program 200 times";

fn main() -> ExitCode {
    let mut args = std::env::args().skip(1);
    let done = match args.next().as_deref() {
        Some("demo") => demo(&args.collect::<Vec<_>>()),
        Some("verify") => verify(),
        Some(VERIFY_LINTED) => verify_linted(),
        Some("api") => api(),
        Some("shots") => helper("shots", &[]),
        Some("load") => helper(
            "load",
            &args.next().iter().map(String::as_str).collect::<Vec<_>>(),
        ),
        Some("measure") => measure(),
        Some("law") => law(&args.next().unwrap_or_else(|| "1000000".into())),
        _ => {
            eprintln!("{HELP}");
            return ExitCode::from(2);
        }
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(Failure(why)) => {
            eprintln!("xtask: {why}");
            ExitCode::FAILURE
        }
    }
}

/// Builds the released program and starts it with the demo data.
fn demo(options: &[String]) -> Result<(), Failure> {
    web()?;
    eprintln!("building the program; the first time takes a few minutes");
    let mut args = vec![
        "run",
        "--release",
        "--quiet",
        "--package",
        "server",
        "--bin",
        "pikebell",
        "--",
        "demo",
    ];
    args.extend(options.iter().map(String::as_str));
    run(&cargo(), &args, &root())
}

/// The part of `verify` that compiles; it is started by it, with the compiler that lints.
const VERIFY_LINTED: &str = "verify-linted";
/// Names the program that was built with the tests.
const PROGRAM: &str = "PIKEBELL_PROGRAM";

/// Everything that must hold before a change lands.
///
/// Nothing is compiled twice. Clippy is the compiler with more to say, so it compiles what is tested; it speaks
/// for the workspace's own crates alone, and every warning is an error. All tests are built and run as one
/// selection of packages, since another one has other features; the program that was built among them writes
/// the document of its interface and serves the pages.
fn verify() -> Result<(), Failure> {
    let own = std::env::current_exe().map_err(|e| Failure(format!("where this runs from: {e}")))?;
    let target =
        std::env::var_os("CARGO_TARGET_DIR").map_or_else(|| root().join("target"), Into::into);
    let program = target.join("debug/pikebell");
    let linted = [
        "RUSTC_WORKSPACE_WRAPPER=clippy-driver",
        "CLIPPY_ARGS=--deny__CLIPPY_HACKERY__warnings",
        &format!("{PROGRAM}={}", program.display()),
        &own.to_string_lossy(),
        VERIFY_LINTED,
    ];
    run("env", &linted, &root())
}

fn verify_linted() -> Result<(), Failure> {
    let root = root();
    run(&cargo(), &["fmt", "--all", "--check"], &root)?;
    arrows()?;
    web()?;
    together(vec![
        Box::new(|| {
            npm(&["run", "--silent", "lint"])?;
            npm(&["run", "--silent", "size"])?;
            browser()
        }),
        Box::new(|| {
            let all = ["test", "--workspace", "--all-targets", "--no-run"];
            run(&cargo(), &all, &self::root())
        }),
    ])?;
    api_is_current()?;
    run(&cargo(), &["test", "--workspace", "--quiet"], &root)
}

/// A part of a task.
type Part = Box<dyn FnOnce() -> Result<(), Failure> + Send>;

/// Lets parts run beside each other; the first failure among them, once all have ended.
fn together(parts: Vec<Part>) -> Result<(), Failure> {
    let running: Vec<_> = parts.into_iter().map(std::thread::spawn).collect();
    let ended: Vec<_> = running.into_iter().map(|part| part.join()).collect();
    for end in ended {
        end.map_err(|_| Failure("a part of it panicked".into()))??;
    }
    Ok(())
}

/// The core must not learn of the network, the database or the async runtime; the store keeps facts
/// and knows nothing of who lives them. Within each of them modules use each other one way.
fn arrows() -> Result<(), Failure> {
    const NETWORK: [&str; 4] = ["tokio", "axum", "hyper", "tower"];
    const DATABASE: [&str; 2] = ["diesel", "libsqlite3-sys"];
    const CHANCE: [&str; 1] = ["rand"];
    let core = [&NETWORK[..], &DATABASE, &CHANCE].concat();
    let store = [&NETWORK[..], &CHANCE].concat();
    for (floor, others, outside) in [
        (
            "quant",
            &[
                "desk", "plans", "market", "engine", "studies", "store", "server",
            ][..],
            &core,
        ),
        (
            "desk",
            &["plans", "market", "engine", "studies", "store", "server"],
            &core,
        ),
        (
            "plans",
            &["market", "engine", "studies", "store", "server"],
            &core,
        ),
        (
            "market",
            &["plans", "engine", "studies", "store", "server"],
            &core,
        ),
        ("engine", &["studies", "store", "server"], &core),
        ("studies", &["store", "server"], &core),
        ("store", &["market", "engine", "studies", "server"], &store),
    ] {
        let tree = output(
            &cargo(),
            &[
                "tree",
                "--package",
                floor,
                "--edges",
                "normal",
                "--prefix",
                "none",
            ],
            &root(),
        )?;
        let names = || tree.lines().filter_map(|l| l.split_whitespace().next());
        if let Some(bad) = names().find(|n| outside.contains(n) || others.contains(n)) {
            return Err(Failure(format!(
                "{floor} depends on {bad}; the arrows point one way (ARCHITECTURE.md)"
            )));
        }
    }
    for floor in [
        "quant", "desk", "plans", "market", "engine", "studies", "store",
    ] {
        let source = root().join("crates").join(floor).join("src");
        rooms::one_way(floor, &source)?;
    }
    Ok(())
}

/// The law of one life over many operations.
fn law(operations: &str) -> Result<(), Failure> {
    if operations.parse::<u64>().is_err() {
        return Err(Failure(format!(
            "{operations} is not a number of operations; write one such as 1000000"
        )));
    }
    run(
        "env",
        &[
            &format!("PIKEBELL_OPERATIONS={operations}"),
            &cargo(),
            "test",
            "--release",
            "--package",
            "engine",
            "--test",
            "law",
            "--",
            "--nocapture",
        ],
        &root(),
    )
}

fn document() -> Result<String, Failure> {
    if let Ok(program) = std::env::var(PROGRAM) {
        return output(&program, &["openapi"], &root());
    }
    output(
        &cargo(),
        &[
            "run",
            "--quiet",
            "--package",
            "server",
            "--bin",
            "pikebell",
            "--",
            "openapi",
        ],
        &root(),
    )
}

fn api() -> Result<(), Failure> {
    let path = root().join("openapi.json");
    std::fs::write(&path, document()?).map_err(|e| Failure(format!("{}: {e}", path.display())))?;
    npm(&["run", "--silent", "gen"])
}

fn api_is_current() -> Result<(), Failure> {
    let stale = "is not what the server says; run `cargo xtask api` and commit";
    same_text(&root().join("openapi.json"), &document()?, stale)?;
    let fresh = output(
        "npm",
        &["exec", "--", "openapi-typescript", "../openapi.json"],
        &root().join("web"),
    )?;
    same_text(&root().join("web/src/api/schema.gen.d.ts"), &fresh, stale)
}

/// Runs a program of the browser harness against the released program.
fn helper(name: &str, args: &[&str]) -> Result<(), Failure> {
    web()?;
    browser()?;
    let mut all = vec![
        "run",
        "--release",
        "--quiet",
        "--package",
        "e2e",
        "--bin",
        name,
        "--",
    ];
    all.extend(args);
    run(&cargo(), &all, &root())
}

fn measure() -> Result<(), Failure> {
    npm(&["run", "--silent", "size"])?;
    for package in [
        "quant", "desk", "plans", "market", "engine", "studies", "server",
    ] {
        run(
            &cargo(),
            &["bench", "--quiet", "--package", package, "--benches"],
            &root(),
        )?;
    }
    let kills = [
        "--config",
        "env.PIKEBELL_KILLS=\"1000\"",
        "test",
        "--release",
        "--quiet",
        "--package",
        "server",
        "--test",
        "kill",
        "--",
        "--nocapture",
    ];
    run(&cargo(), &kills, &root())?;
    let limits = [
        "test",
        "--release",
        "--quiet",
        "--package",
        "server",
        "--test",
        "limits",
        "--",
        "--nocapture",
        "--test-threads=1",
    ];
    run(&cargo(), &limits, &root())?;
    helper("load", &[])?;
    helper("measure", &[])
}
