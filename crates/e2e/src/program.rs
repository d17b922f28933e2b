//! The program under test as a process of its own, so that it can be killed like one.

use std::io::{BufRead, BufReader, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::OnceLock;

/// The project's root.
pub fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// Where the program under test is: `PIKEBELL_PROGRAM`, or else built now in the profile that this harness was
/// built in.
fn binary() -> &'static Path {
    static BUILT: OnceLock<PathBuf> = OnceLock::new();
    BUILT.get_or_init(|| {
        if let Some(built) = std::env::var_os("PIKEBELL_PROGRAM") {
            return built.into();
        }
        let (profile, folder) = if cfg!(debug_assertions) {
            ("dev", "debug")
        } else {
            ("release", "release")
        };
        let cargo = std::env::var("CARGO").unwrap_or_else(|_| "cargo".into());
        let args = [
            "build",
            "--quiet",
            "--package",
            "server",
            "--bin",
            "pikebell",
            "--profile",
            profile,
        ];
        let built = Command::new(cargo)
            .args(args)
            .current_dir(root())
            .status()
            .expect("cargo runs");
        assert!(built.success(), "the program does not build");
        let target = std::env::var_os("CARGO_TARGET_DIR")
            .map_or_else(|| root().join("target"), PathBuf::from);
        target.join(folder).join("pikebell")
    })
}

/// What a command of the program answers to some input; it must succeed.
pub fn command(arguments: &[&str], input: &[u8]) -> Vec<u8> {
    let mut child = Command::new(binary())
        .args(arguments)
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("the program starts");
    let mut into = child.stdin.take().expect("its input is piped");
    into.write_all(input).expect("it reads its input");
    drop(into);
    let out = child.wait_with_output().expect("it ends");
    let told = String::from_utf8_lossy(&out.stderr);
    assert!(out.status.success(), "{arguments:?}: {told}");
    out.stdout
}

/// Where a program listens, and what it wants to see.
#[derive(Debug, Clone)]
pub struct Door {
    /// `http://127.0.0.1:port`.
    pub address: String,
    /// What programs send as `Authorization: Bearer TOKEN`.
    pub token: String,
}

/// A running program. Dropping it kills it, without a chance to tidy up.
pub struct Program {
    child: Child,
    /// Where it listens, and what it wants to see.
    pub door: Door,
    /// The printed address, which signs a browser in.
    pub entrance: String,
    /// The line it printed when it was ready.
    pub greeting: String,
}

impl Program {
    /// Starts `pikebell demo` on a database and waits until it is ready. `port` 0 takes a free one.
    pub fn demo(data: &Path, port: u16) -> Program {
        Program::start(&["demo"], data, port)
    }

    /// The same with an account of one's own, `pikebell serve`.
    pub fn serve(data: &Path, port: u16) -> Program {
        Program::start(&["serve"], data, port)
    }

    /// The same on a market of one's own.
    pub fn serve_market(data: &Path, market: &Path) -> Program {
        let market = market.to_string_lossy();
        Program::start(&["serve", "--market", &market], data, 0)
    }

    fn start(what: &[&str], data: &Path, port: u16) -> Program {
        let listen = format!("127.0.0.1:{port}");
        let spawned = Command::new(binary())
            .args(what)
            .args(["--listen", &listen, "--data"])
            .arg(data)
            .stdout(Stdio::piped())
            .spawn();
        let mut child = spawned.expect("the program starts");
        let mut lines = BufReader::new(child.stdout.take().expect("its output is piped")).lines();
        let greeting = lines
            .next()
            .expect("the program says that it is ready")
            .expect("its output is text");
        let entrance = greeting
            .split_whitespace()
            .find(|w| w.starts_with("http://"))
            .expect("the greeting holds an address")
            .to_owned();
        let (address, token) = entrance
            .split_once("/enter?token=")
            .expect("the address holds the token");
        Program {
            child,
            door: Door {
                address: address.to_owned(),
                token: token.to_owned(),
            },
            entrance,
            greeting,
        }
    }

    /// The port it listens on.
    pub fn port(&self) -> u16 {
        self.door
            .address
            .rsplit(':')
            .next()
            .and_then(|p| p.parse().ok())
            .expect("the address has a port")
    }

    /// Its process number.
    pub fn id(&self) -> u32 {
        self.child.id()
    }
}

impl Drop for Program {
    fn drop(&mut self) {
        // On Unix this is SIGKILL: what was acknowledged must survive it.
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}
