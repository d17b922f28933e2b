//! Commands from files to files: the batch calculator, `export`, `import`, `feed`, `play`, `scout` and
//! `rehearse`.

pub mod calc;
pub mod export;
pub mod feed;
pub mod import;
pub mod rehearse;
pub mod scout;
