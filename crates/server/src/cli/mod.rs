//! Commands from files to files: the batch calculator, `export`, `import`, `scout` and `rehearse`.

pub mod calc;
pub mod export;
pub mod import;
pub mod rehearse;
pub mod scout;
