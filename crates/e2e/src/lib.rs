//! Drives the real program in a real browser: the harness of the browser tests, of the pictures
//! (`cargo xtask shots`) and of the browser measure (`cargo xtask measure`).
//!
//! The program is the binary `pikebell` with a database in a temporary folder; the browser is
//! Debian's headless Chromium through ChromeDriver. Both are ended when their guards are dropped.
//! Nothing here knows a type of the program: it sees what a trader sees, and the API.

mod browser;
mod program;

pub use browser::{
    Browser, DELETE, DOWN, END, ENTER, ESCAPE, HOME, LEFT, RIGHT, TAB, UP, in_browser,
};
pub use program::{Door, Program, command, root};
