//! Results written to a file, or to standard output.

use std::path::Path;

use anyhow::Context;

/// Writes a text; `-` is standard output.
pub(crate) fn write(out: &Path, text: &str) -> anyhow::Result<()> {
    if out == Path::new("-") {
        print!("{text}");
        return Ok(());
    }
    std::fs::write(out, text).with_context(|| format!("the result cannot be written to {}", out.display()))
}
