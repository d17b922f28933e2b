//! `pikebell feed`: rows from standard input into a market of one's own, without end; and `pikebell
//! play`: recorded days as such a feed.

use std::io::{BufRead, BufReader, Read, Write};
use std::path::PathBuf;
use std::sync::mpsc::{RecvTimeoutError, SyncSender, sync_channel};
use std::time::Duration;

use clap::Args;
use server::folder::{self, Feed as Rows};

/// Where rows go.
#[derive(Debug, Args)]
#[command(after_long_help = FEED_HELP)]
pub struct Feed {
    /// Folder of the market; made when it is not there.
    #[arg(long = "into", value_name = "FOLDER")]
    folder: PathBuf,
    /// A moment holds only what has changed since the one before; what else was quoted on that day since the
    /// feed began still is.
    #[arg(long)]
    changes: bool,
}

const FEED_HELP: &str = "\
Reads CSV rows from standard input until it ends, with the columns of `export chain` (contract, at, \
spot, bid, ask and what else is known) or of `export bars`; a line that names columns begins or \
changes what follows.
Rows of one moment may come in any order. An empty line, a row of another moment or a second of \
silence closes the moment: it is then written whole, and a program that runs on the folder sees it.
A row that is wrong is told on standard error with its line, and passed over. The exit status is 0 \
when every row was good, 1 when some were refused, 2 when the folder cannot be written.";

/// Nothing has come for so long: what stands open is whole.
const SILENCE: Duration = Duration::from_secs(1);
/// The most bytes that a line may have.
const LONGEST: usize = 64 << 10;

/// A line, or why it is none.
type Line = Result<Vec<u8>, &'static str>;

/// Reads lines of a bounded length; what is longer is passed over to its end.
fn lines(input: impl Read, into: &SyncSender<Line>) -> std::io::Result<()> {
    let mut input = BufReader::new(input);
    loop {
        let mut line = Vec::new();
        let got = (&mut input)
            .take(LONGEST as u64)
            .read_until(b'\n', &mut line)?;
        if got == 0 {
            return Ok(());
        }
        let whole = line.ends_with(b"\n") || got < LONGEST;
        let line = if whole {
            Ok(line)
        } else {
            skip_line(&mut input)?;
            Err("it is longer than 65,536 bytes")
        };
        if into.send(line).is_err() {
            return Ok(());
        }
    }
}

fn skip_line(input: &mut impl BufRead) -> std::io::Result<()> {
    loop {
        let buffer = input.fill_buf()?;
        if buffer.is_empty() {
            return Ok(());
        }
        let end = buffer.iter().position(|b| *b == b'\n');
        let used = end.map_or(buffer.len(), |i| i + 1);
        input.consume(used);
        if end.is_some() {
            return Ok(());
        }
    }
}

/// Feeds a folder until the input ends. True when every row was good.
pub fn run(what: &Feed) -> Result<bool, String> {
    let mut rows = Rows::into(&what.folder)?;
    if what.changes {
        rows = rows.of_changes();
    }
    let (send, receive) = sync_channel::<Line>(4_096);
    let reader = std::thread::spawn(move || lines(std::io::stdin().lock(), &send));
    let mut tell = |what: String| eprintln!("{what}");
    let mut open = false;
    loop {
        match receive.recv_timeout(SILENCE) {
            Ok(Ok(line)) => {
                open = true;
                rows.line(&line, &mut tell)?;
            }
            Ok(Err(why)) => rows.no_line(why, &mut tell),
            Err(RecvTimeoutError::Timeout) if open => {
                open = false;
                rows.close()?;
            }
            Err(RecvTimeoutError::Timeout) => {}
            Err(RecvTimeoutError::Disconnected) => break,
        }
    }
    rows.close()?;
    match reader.join() {
        Ok(Err(e)) => return Err(format!("standard input: {e}")),
        Ok(Ok(())) => {}
        Err(_) => return Err("standard input could not be read".into()),
    }
    let fed = rows.fed();
    eprintln!(
        "{} rows taken, {} refused, {} moments kept",
        fed.rows, fed.refused, fed.moments
    );
    Ok(fed.refused == 0)
}

/// What is played.
#[derive(Debug, Args)]
#[command(after_long_help = PLAY_HELP)]
pub struct Play {
    /// Folder of a recorded market.
    #[arg(long, value_name = "FOLDER")]
    market: PathBuf,
    /// How many times as fast as it was.
    #[arg(long, default_value_t = 1.0)]
    speed: f64,
    /// First date; the first that is recorded when absent.
    #[arg(long)]
    from: Option<jiff::civil::Date>,
    /// Last date; the last that is recorded when absent.
    #[arg(long)]
    to: Option<jiff::civil::Date>,
    /// Symbols; all when absent.
    #[arg(long)]
    symbol: Vec<String>,
}

const PLAY_HELP: &str = "\
Writes recorded moments to standard output as a feed, in their order, an empty line behind each, and \
before the moments of a session the bars that are known by then. Between two moments of a day passes \
what passed then, divided by the speed; a night passes in a second.
    pikebell play --market recorded --speed 60 | pikebell feed --into my-market
plays days into another folder; copy the files that describe the market (instrument.csv, events.csv, \
rates.csv, calendar.csv, index.csv) there first.";

/// Plays days to standard output.
pub fn play(what: &Play) -> Result<(), String> {
    if !(what.speed > 0.0 && what.speed <= 1e9) {
        return Err(format!(
            "--speed {}: write a number above zero, like 60",
            what.speed
        ));
    }
    let opened = folder::open(&what.market)?;
    for wrong in &opened.wrong {
        eprintln!("{wrong}");
    }
    for symbol in &what.symbol {
        if !opened
            .recorded
            .iter()
            .any(|r| r.underlying.symbol == *symbol)
        {
            let known: Vec<&str> = opened
                .recorded
                .iter()
                .map(|r| r.underlying.symbol.as_str())
                .collect();
            return Err(format!(
                "--symbol {symbol:?} is not in {}; known: {}",
                what.market.display(),
                known.join(", ")
            ));
        }
    }
    let mut out = std::io::BufWriter::new(std::io::stdout().lock());
    let chosen = |symbol: &str| what.symbol.is_empty() || what.symbol.iter().any(|s| s == symbol);
    let span = (what.from, what.to);
    let done = opened.play(&chosen, span, &mut |waits, bytes| {
        let real = waits.map_or(Duration::from_secs(1), |then| then.div_f64(what.speed));
        std::thread::sleep(real);
        out.write_all(bytes).and_then(|()| out.flush())
    });
    match done {
        // Who reads it has heard enough.
        Err(e) if e.kind() == std::io::ErrorKind::BrokenPipe => Ok(()),
        Err(e) => Err(format!("standard output: {e}")),
        Ok(()) => Ok(()),
    }
}
