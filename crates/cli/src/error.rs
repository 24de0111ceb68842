//! Errors that the caller can mend.

/// An error that the caller can mend.
#[derive(Debug)]
pub(crate) struct BadInput(String);

impl std::fmt::Display for BadInput {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.0)
    }
}

impl std::error::Error for BadInput {}

/// Marks an error as the caller's to mend.
pub(crate) fn bad_input(error: impl std::fmt::Display) -> anyhow::Error {
    anyhow::Error::new(BadInput(error.to_string()))
}
