//! Running other programs, and making sure that they are there.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::Instant;

/// Why a task stopped, in words for the developer.
#[derive(Debug)]
pub struct Failure(pub String);

/// The project's root.
pub fn root() -> PathBuf {
    let here = Path::new(env!("CARGO_MANIFEST_DIR"));
    here.parent().unwrap_or(here).to_owned()
}

/// The cargo that runs us.
pub fn cargo() -> String {
    std::env::var("CARGO").unwrap_or_else(|_| "cargo".into())
}

fn command(program: &str, args: &[&str], folder: &Path) -> Command {
    let mut command = Command::new(program);
    command.args(args).current_dir(folder);
    command
}

/// Runs to the end, showing what it prints; fails when it fails.
pub fn run(program: &str, args: &[&str], folder: &Path) -> Result<(), Failure> {
    let began = Instant::now();
    let line = format!(
        "{} {}",
        Path::new(program)
            .file_name()
            .map_or(program.into(), |n| n.to_string_lossy()),
        args.join(" ")
    );
    eprintln!("$ {line}");
    let status = command(program, args, folder)
        .status()
        .map_err(|e| Failure(format!("{program}: {e}")))?;
    eprintln!("  {:.1} s", began.elapsed().as_secs_f64());
    if status.success() {
        Ok(())
    } else {
        Err(Failure(format!("failed: {line}")))
    }
}

/// What it prints to standard output.
pub fn output(program: &str, args: &[&str], folder: &Path) -> Result<String, Failure> {
    let out = command(program, args, folder)
        .stderr(Stdio::inherit())
        .output()
        .map_err(|e| Failure(format!("{program}: {e}")))?;
    if !out.status.success() {
        return Err(Failure(format!("failed: {program} {}", args.join(" "))));
    }
    String::from_utf8(out.stdout).map_err(|e| Failure(format!("{program}: {e}")))
}

/// Runs npm in the front end's folder.
pub fn npm(args: &[&str]) -> Result<(), Failure> {
    run("npm", args, &root().join("web"))
}

/// Compares a committed file with what it should be.
pub fn same_text(path: &Path, fresh: &str, otherwise: &str) -> Result<(), Failure> {
    let kept =
        std::fs::read_to_string(path).map_err(|e| Failure(format!("{}: {e}", path.display())))?;
    if kept.trim_end() == fresh.trim_end() {
        Ok(())
    } else {
        Err(Failure(format!("{} {otherwise}", path.display())))
    }
}

/// Installs the front end's packages when the lock file is newer than they are, then builds it.
pub fn web() -> Result<(), Failure> {
    let version = output("node", &["--version"], &root()).map_err(|_| {
        Failure(
            "Node.js is missing; install version 20.19 or later (with npm) and start again".into(),
        )
    })?;
    let mut parts = version
        .trim()
        .trim_start_matches('v')
        .split('.')
        .map(|p| p.parse::<u32>().unwrap_or(0));
    let found = (parts.next().unwrap_or(0), parts.next().unwrap_or(0));
    if found < (20, 19) {
        return Err(Failure(format!(
            "Node.js {} is too old; version 20.19 or later is needed",
            version.trim()
        )));
    }
    let folder = root().join("web");
    let changed = |file: &str| folder.join(file).metadata().and_then(|m| m.modified()).ok();
    if changed("node_modules/.package-lock.json") < changed("package-lock.json") {
        npm(&["ci", "--no-audit", "--no-fund"])?;
    }
    npm(&["run", "--silent", "build"])
}

fn found(program: &str) -> bool {
    Command::new(program)
        .arg("--version")
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .status()
        .is_ok_and(|s| s.success())
}

/// Installs Debian's Chromium and ChromeDriver when they are missing.
pub fn browser() -> Result<(), Failure> {
    if found("chromium") && found("chromedriver") {
        return Ok(());
    }
    let root_user = output("id", &["-u"], &root())?.trim() == "0";
    let apt = |args: &[&str]| {
        let (program, args) = if root_user {
            ("apt-get", args.to_vec())
        } else {
            ("sudo", [&["apt-get"], args].concat())
        };
        run(program, &args, &root())
    };
    let install = [
        "install",
        "--yes",
        "--no-install-recommends",
        "chromium",
        "chromium-driver",
    ];
    apt(&["update"])?;
    if apt(&install).is_err() {
        // A half-configured package from an interrupted install blocks the next one.
        apt(&["--yes", "--fix-broken", "install"])?;
        apt(&install)?;
    }
    if found("chromium") && found("chromedriver") {
        Ok(())
    } else {
        Err(Failure(
            "chromium and chromedriver are still missing".into(),
        ))
    }
}
