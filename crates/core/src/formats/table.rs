//! A table of text, how large it may be, and why none can be had.

use serde::Serialize;
use thiserror::Error;

use crate::time::FrameRange;

/// Rows that are read at most.
pub(super) const MOST_ROWS: usize = 200_000;
/// Columns, and fields in all, that are read at most: a table of samples has ten, and memory goes by fields.
pub(super) const MOST_COLUMNS: usize = 200;
pub(super) const MOST_FIELDS: usize = 2_000_000;

/// A table of text: a header and rows.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Table {
    /// Names of the columns.
    pub headers: Vec<String>,
    /// The rows, each as long as the header; missing fields are empty.
    pub rows: Vec<Vec<String>>,
    /// Whether numbers have a decimal comma: where columns are parted by semicolons.
    pub decimal_comma: bool,
}

/// Why a table cannot be read, or samples not made of it.
#[derive(Clone, Debug, Error, PartialEq, Eq)]
pub enum ImportProblem {
    /// There is no table.
    #[error(
        "this is no table: a header line and at least one row are needed, with columns parted by commas, \
         semicolons or tabs; or JSON, our own or a list of objects"
    )]
    NoTable,
    /// JSON that cannot be read.
    #[error("this JSON cannot be read: {0}")]
    Json(String),
    /// Too many rows, or fields in all.
    #[error("the table has more than {MOST_ROWS} rows or {MOST_FIELDS} fields; cut it to what belongs to this shot")]
    TooLong,
    /// Too many columns.
    #[error("the table has {0} columns; at most {MOST_COLUMNS} are read, of which frame, x and y are needed")]
    TooWide(usize),
    /// A column that is not there.
    #[error("there is no column {0}; the table has {1}")]
    Column(usize, usize),
    /// Rows that cannot be read.
    #[error("{}", .0.join("; "))]
    Rows(Vec<String>),
    /// No row is about this shot.
    #[error("no row is about a frame of this shot, {first} to {last}; is the number of the first frame right?", first = .0.first, last = .0.last)]
    NothingHere(FrameRange),
}

/// Whether a table of so many columns and rows is read.
pub(super) fn fits(columns: usize, rows: usize) -> Result<(), ImportProblem> {
    match () {
        () if columns > MOST_COLUMNS => Err(ImportProblem::TooWide(columns)),
        () if rows > MOST_ROWS || columns * rows > MOST_FIELDS => Err(ImportProblem::TooLong),
        () => Ok(()),
    }
}
