//! Commands from files to files: the batch calculator, `export` and `import`.

pub mod calc;
pub mod export;
pub mod import;
pub mod scout;
