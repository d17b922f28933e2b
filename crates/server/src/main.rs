//! The command line: `pikebell demo`, `serve`, `backup`, `restore`, `check`, `calc`, `export`,
//! `import`, `feed`, `play`, `scout`, `rehearse`, `openapi`.

mod cli;

use std::net::SocketAddr;
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::time::{Duration, Instant};

use clap::{Args, Parser, Subcommand};
use cli::{calc, export, feed, import, rehearse, scout};
use server::{Beginning, Guard, Runs, Settings, Token, demo::DEMO_SEED};

#[derive(Parser)]
#[command(
    name = "pikebell",
    version,
    about = "Reads option chains, builds and judges structures, takes orders and keeps the book."
)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Starts with the demo account in the demo world.
    Demo(Serving),
    /// Starts with a paper account of your own in the same world.
    Serve(Serving),
    /// Copies an account's file, also while the program runs on it.
    Backup {
        /// The file to copy; by default that of `serve`.
        #[arg(long)]
        data: Option<PathBuf>,
        /// Where the copy goes; nothing may stand there.
        #[arg(long)]
        out: PathBuf,
    },
    /// Puts a copy in place as an account's file.
    Restore {
        /// The copy that is put in the account's place.
        #[arg(long)]
        from: PathBuf,
        /// The file to make; by default that of `serve`. Nothing may stand there.
        #[arg(long)]
        data: Option<PathBuf>,
    },
    /// Says whether a file and its books are in order: exit status 0 if they are, 1 if not, 2 if it
    /// cannot be read.
    Check {
        /// The file; by default that of `serve`.
        #[arg(long)]
        data: Option<PathBuf>,
    },
    /// Calculates many options or positions at once, from a file to a file.
    #[command(subcommand)]
    Calc(calc::Calc),
    /// Writes what the market shows at a moment, as CSV.
    #[command(subcommand)]
    Export(export::Export),
    /// Judges every structure of chosen families by what you expect, as CSV.
    Scout(scout::Scout),
    /// Plays a drill over past sessions, its cycles as CSV.
    Rehearse(rehearse::Rehearse),
    /// Reads CSV files into a market of your own, for `serve --market`.
    #[command(subcommand)]
    Import(import::Import),
    /// Reads rows from standard input into a market of your own, without end; a program that runs on it
    /// follows.
    Feed(feed::Feed),
    /// Writes recorded days to standard output as a feed.
    Play(feed::Play),
    /// Prints the API's OpenAPI document.
    Openapi,
}

#[derive(Args)]
struct Serving {
    /// Address to listen on; loopback only.
    #[arg(long, default_value = "127.0.0.1:7311")]
    listen: SocketAddr,
    /// Database file; by default in the platform's data folder.
    #[arg(long)]
    data: Option<PathBuf>,
    /// Folder of a market of your own (see `import` and `feed`), in place of the simulated one; a database
    /// remembers it.
    #[arg(long)]
    market: Option<PathBuf>,
    /// Seed of the world, for a new database.
    #[arg(long, default_value_t = DEMO_SEED)]
    seed: u64,
    /// Fee per option contract, 0.65 where nothing is set; a database remembers it.
    #[arg(long)]
    option_fee: Option<desk::Money>,
    /// Fee per future, 1.20 where nothing is set; a database remembers it.
    #[arg(long)]
    future_fee: Option<desk::Money>,
}

/// The file of `serve` in the data folder, and that of `demo`.
const FILE: &str = "desk.db";
const DEMO_FILE: &str = "demo.db";

fn data_folder() -> PathBuf {
    let from = |name: &str| {
        std::env::var_os(name)
            .filter(|v| !v.is_empty())
            .map(PathBuf::from)
    };
    let base = if cfg!(windows) {
        from("LOCALAPPDATA")
    } else if cfg!(target_os = "macos") {
        from("HOME").map(|h| h.join("Library/Application Support"))
    } else {
        from("XDG_DATA_HOME").or_else(|| from("HOME").map(|h| h.join(".local/share")))
    };
    base.unwrap_or_else(|| PathBuf::from(".")).join("pikebell")
}

/// A file in the data folder, which is its owner's alone, also where an older version made it.
fn own_file(name: &str) -> PathBuf {
    let folder = data_folder();
    #[cfg(unix)]
    if folder.is_dir() {
        use std::os::unix::fs::PermissionsExt;
        let owner = std::fs::Permissions::from_mode(0o700);
        if let Err(e) = std::fs::set_permissions(&folder, owner) {
            tracing::warn!("{} stays open to others: {e}", folder.display());
        }
    }
    folder.join(name)
}

fn main() -> ExitCode {
    tracing_subscriber::fmt()
        .with_writer(std::io::stderr)
        .with_env_filter(
            tracing_subscriber::EnvFilter::try_from_default_env().unwrap_or_else(|_| "warn".into()),
        )
        .init();
    let result = match Cli::parse().command {
        Command::Demo(s) => serve(s, Beginning::Demo, DEMO_FILE),
        Command::Serve(s) => serve(s, Beginning::Empty, FILE),
        Command::Calc(what) => {
            return match calc::run(&what) {
                Ok(calc::Outcome::AllGood) => ExitCode::SUCCESS,
                Ok(calc::Outcome::SomeBad) => ExitCode::FAILURE,
                Err(message) => {
                    eprintln!("pikebell: {message}");
                    ExitCode::from(2)
                }
            };
        }
        Command::Backup { data, out } => backup(&data.unwrap_or_else(|| own_file(FILE)), &out),
        Command::Restore { from, data } => restore(&from, &data.unwrap_or_else(|| own_file(FILE))),
        Command::Check { data } => return check(&data.unwrap_or_else(|| own_file(FILE))),
        Command::Export(what) => export::run(&what),
        Command::Rehearse(what) => match rehearse::run(&what) {
            Ok(()) => Ok(()),
            Err(message) => {
                eprintln!("pikebell: {message}");
                return ExitCode::from(2);
            }
        },
        Command::Scout(what) => match scout::run(&what) {
            Ok(()) => Ok(()),
            Err(message) => {
                eprintln!("pikebell: {message}");
                return ExitCode::from(2);
            }
        },
        Command::Import(what) => match import::run(&what) {
            Ok(true) => Ok(()),
            Ok(false) => return ExitCode::FAILURE,
            Err(message) => {
                eprintln!("pikebell: {message}");
                return ExitCode::from(2);
            }
        },
        Command::Feed(what) => match feed::run(&what) {
            Ok(true) => Ok(()),
            Ok(false) => return ExitCode::FAILURE,
            Err(message) => {
                eprintln!("pikebell: {message}");
                return ExitCode::from(2);
            }
        },
        Command::Play(what) => feed::play(&what),
        Command::Openapi => {
            println!("{}", server::openapi_json());
            Ok(())
        }
    };
    match result {
        Ok(()) => ExitCode::SUCCESS,
        Err(message) => {
            eprintln!("pikebell: {message}");
            ExitCode::FAILURE
        }
    }
}

fn backup(data: &Path, out: &Path) -> Result<(), String> {
    store::copy(data, out).map_err(|e| e.to_string())?;
    println!("{} is copied to {}", data.display(), out.display());
    Ok(())
}

fn restore(from: &Path, data: &Path) -> Result<(), String> {
    let faults = server::check(from).map_err(|e| e.to_string())?;
    if !faults.is_empty() {
        return Err(format!(
            "{} is not in order and was not put in place: {}",
            from.display(),
            faults.join("; ")
        ));
    }
    server::make_folder(data).map_err(|e| e.to_string())?;
    store::restore(from, data).map_err(|e| e.to_string())?;
    println!("{} is in place as {}", from.display(), data.display());
    Ok(())
}

fn check(data: &Path) -> ExitCode {
    match server::check(data) {
        Ok(faults) if faults.is_empty() => {
            println!("{}: the file and its books are in order", data.display());
            ExitCode::SUCCESS
        }
        Ok(faults) => {
            for fault in faults {
                println!("{}: {fault}", data.display());
            }
            ExitCode::FAILURE
        }
        Err(e) => {
            eprintln!("pikebell: {e}");
            ExitCode::from(2)
        }
    }
}

fn serve(s: Serving, beginning: Beginning, file: &str) -> Result<(), String> {
    let began = Instant::now();
    if !s.listen.ip().is_loopback() {
        return Err(format!(
            "{} is not a loopback address; only this machine may connect: use 127.0.0.1 or [::1]",
            s.listen.ip()
        ));
    }
    if beginning == Beginning::Demo && s.market.is_some() {
        return Err(
            "the demo lives in the stand-in market; `serve --market FOLDER` opens one of your own"
                .into(),
        );
    }
    let path = s.data.unwrap_or_else(|| own_file(file));
    let settings = Settings {
        seed: s.seed,
        market: s.market,
        option_fee: s.option_fee,
        future_fee: s.future_fee,
    };
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .enable_all()
        .build()
        .map_err(|e| e.to_string())?;
    let served = runtime.block_on(async {
        let listener = tokio::net::TcpListener::bind(s.listen)
            .await
            .map_err(|e| format!("cannot listen on {}: {e}", s.listen))?;
        let address = listener.local_addr().map_err(|e| e.to_string())?;
        // The port comes first: where it is taken, the file is not touched.
        let desk = server::open(&path, beginning, &settings)
            .map_err(|e| format!("{}: {e}", path.display()))?;
        let token =
            Token::of(&path).map_err(|e| format!("{}: {e}", Token::place(&path).display()))?;
        let guard = Guard::loopback(address, token);
        println!(
            "Pike Bell is ready at {}  (data: {}, started in {} ms)",
            guard.entrance(address),
            path.display(),
            began.elapsed().as_millis()
        );
        let stop = async {
            let _ = tokio::signal::ctrl_c().await;
        };
        server::run(listener, Runs::start(desk, &path), guard, stop)
            .await
            .map_err(|e| e.to_string())
    });
    // Open streams do not hold the program back.
    runtime.shutdown_timeout(Duration::from_millis(500));
    served
}
