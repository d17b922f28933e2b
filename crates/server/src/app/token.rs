//! The token: what keeps other users of the machine out.
//!
//! A random number, made once and kept beside the database in a file that only its owner may read.
//! The program prints an address that holds it; that address gives it to the browser as a cookie
//! which no script can read and which no other site's page can make the browser send. Programs read
//! the file and send it as `Authorization: Bearer TOKEN`.

use std::io::{Read, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// Random bytes of a token.
const BYTES: usize = 32;

/// What a request must show.
#[derive(Clone, PartialEq, Eq)]
pub struct Token(String);

impl std::fmt::Debug for Token {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Token")
    }
}

impl Token {
    /// Where the token of a database is kept: `FILE.token`.
    pub fn place(data: &Path) -> PathBuf {
        store::beside(data, "token")
    }

    /// The token of a database, made if there is none yet.
    ///
    /// # Errors
    /// The file cannot be read or made, or the system has no random numbers.
    pub fn of(data: &Path) -> std::io::Result<Token> {
        let mut file = store::private(&Token::place(data))?;
        let mut text = String::new();
        file.read_to_string(&mut text)?;
        let text = text.trim();
        if text.len() == 2 * BYTES && text.bytes().all(|b| b.is_ascii_hexdigit()) {
            return Ok(Token(text.to_owned()));
        }
        let mut bytes = [0; BYTES];
        getrandom::fill(&mut bytes).map_err(std::io::Error::other)?;
        let made: String = bytes.iter().map(|b| format!("{b:02x}")).collect();
        file.set_len(0)?;
        file.seek(SeekFrom::Start(0))?;
        writeln!(file, "{made}")?;
        file.sync_all()?;
        Ok(Token(made))
    }

    /// As text, to be sent along.
    pub fn text(&self) -> &str {
        &self.0
    }

    /// Whether this is it. How long the answer takes does not tell how much of it is right.
    pub fn is(&self, shown: &str) -> bool {
        shown.len() == self.0.len()
            && self
                .0
                .bytes()
                .zip(shown.bytes())
                .fold(0, |wrong, (a, b)| wrong | (a ^ b))
                == 0
    }
}

#[cfg(test)]
mod tests {
    #![allow(clippy::unwrap_used)]

    use super::*;

    #[test]
    fn a_token_stays_and_is_known() {
        let folder = tempfile::tempdir().unwrap();
        let data = folder.path().join("desk.db");
        let token = Token::of(&data).unwrap();
        assert_eq!(token, Token::of(&data).unwrap());
        assert_ne!(token, Token::of(&folder.path().join("other.db")).unwrap());
        assert!(token.is(token.text()) && !token.is("") && !token.is(&"0".repeat(2 * BYTES)));
        std::fs::write(Token::place(&data), "half of a tok").unwrap();
        let again = Token::of(&data).unwrap();
        assert!(again != token && again == Token::of(&data).unwrap());
    }
}
