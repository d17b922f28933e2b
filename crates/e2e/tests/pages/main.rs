//! The program in a real browser: one module a subject. They run two at a time, each with a program, a
//! database and a browser of its own.

mod balance;
mod money;
mod own_market;
mod rehearsal;
mod rework;
mod rounds;
mod scout;
mod shown;
mod trade;
mod traders;
mod widths;
