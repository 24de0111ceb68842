//! Samples read from a file.

use std::path::Path;

use jampin_core::formats::{Mapping, Table};
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::Track;

use crate::error::bad_input;

/// The samples of a CSV or JSON by the names of their pins, in the order in which they come. A file without names has
/// one pin, called `pin`.
pub(crate) fn read(path: &Path) -> anyhow::Result<Vec<(String, Track)>> {
    let text = std::fs::read_to_string(path)
        .map_err(|error| bad_input(format!("the samples {} cannot be read: {error}", path.display())))?;
    let table = Table::parse(&text).map_err(bad_input)?;
    let guess = table.guess();
    let everything = FrameRange { first: Frame(0), last: Frame(u32::MAX) };
    let mut names: Vec<Option<String>> = match guess.pin {
        Some(column) => table.rows.iter().map(|row| Some(row[column].clone())).collect(),
        None => vec![None],
    };
    let mut seen = std::collections::HashSet::new();
    names.retain(|name| seen.insert(name.clone()));
    let track = |only: Option<String>| {
        let name = only.clone().unwrap_or_else(|| "pin".into());
        let samples = table.samples(&Mapping { only, ..guess.clone() }, everything).map_err(bad_input)?;
        Ok((name, samples.into_iter().collect()))
    };
    names.into_iter().map(track).collect()
}
