//! The program as a process of its own, asked over loopback by hand.
#![allow(dead_code, clippy::unwrap_used)]

use std::io::{BufRead, BufReader, Read, Write};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Command, Output, Stdio};
use std::time::Duration;

use serde_json::Value;

/// A command of the program, to be run to its end.
pub fn pikebell(args: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_pikebell"))
        .args(args)
        .output()
        .unwrap()
}

/// Where a running program listens and the token it wants.
#[derive(Clone)]
pub struct Door {
    pub address: String,
    token: String,
}

/// A running program; it is killed when this is dropped, and so does not outlive its test.
pub struct Running {
    child: Child,
    pub door: Door,
}

impl Running {
    /// Starts `pikebell serve` on a database and waits until it is ready.
    pub fn serve(data: &Path) -> Running {
        let mut child = spawn(data);
        let greeting = BufReader::new(child.stdout.take().unwrap())
            .lines()
            .next()
            .unwrap()
            .unwrap();
        let entrance = greeting
            .split_whitespace()
            .find_map(|w| w.strip_prefix("http://"))
            .unwrap();
        let (address, token) = entrance.split_once("/enter?token=").unwrap();
        let door = Door {
            address: address.to_owned(),
            token: token.to_owned(),
        };
        Running { child, door }
    }

    /// Ends it without a word.
    pub fn kill(mut self) {
        self.child.kill().unwrap();
        self.child.wait().unwrap();
    }
}

impl Drop for Running {
    fn drop(&mut self) {
        // It may have been killed already.
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Starts the program without waiting for it.
pub fn spawn(data: &Path) -> Child {
    Command::new(env!("CARGO_BIN_EXE_pikebell"))
        .args(["serve", "--listen", "127.0.0.1:0", "--seed", "7", "--data"])
        .arg(data)
        .stdout(Stdio::piped())
        .stderr(Stdio::null())
        .spawn()
        .unwrap()
}

impl Door {
    /// One request, its status and body; nothing when the line breaks before the whole answer is
    /// there.
    pub fn ask(&self, method: &str, path: &str, body: &Value) -> Option<(u16, Value)> {
        let mut stream = TcpStream::connect(&self.address).ok()?;
        stream
            .set_read_timeout(Some(Duration::from_secs(20)))
            .ok()?;
        let body = body.to_string();
        let head = format!(
            "{method} {path} HTTP/1.1\r\nHost: {}\r\nAuthorization: Bearer {}\r\nContent-Type: \
             application/json\r\nContent-Length: {}\r\nConnection: close\r\n\r\n",
            self.address,
            self.token,
            body.len()
        );
        stream.write_all(head.as_bytes()).ok()?;
        stream.write_all(body.as_bytes()).ok()?;
        let mut answer = String::new();
        stream.read_to_string(&mut answer).ok()?;
        let (head, body) = answer.split_once("\r\n\r\n")?;
        let status = head.split_whitespace().nth(1)?.parse().ok()?;
        let body = if body.trim().is_empty() {
            Value::Null
        } else {
            serde_json::from_str(body).ok()?
        };
        Some((status, body))
    }

    /// What is there.
    pub fn get(&self, path: &str) -> Value {
        let (status, body) = self.ask("GET", path, &Value::Null).unwrap();
        assert_eq!(status, 200, "{path}: {body}");
        body
    }
}
