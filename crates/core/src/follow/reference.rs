//! The patterns a pin is compared with: the first one, and one renewed as the feature changes.

use crate::align::Pattern;
use crate::matching::Searcher;

/// Below this match to the newest reference a renewal is due. Lower, and a slow change runs into the threshold
/// before the reference follows it; higher, and grain alone makes it renew, and drift a little each time.
const RENEW_BELOW: f64 = 0.92;
/// Only a frame that matched this well may become the reference, so that whatever begins to cover the feature does
/// not get into it.
const CLEAN_MATCH: f64 = 0.95;

/// First and renewed pattern of a pin.
#[derive(Debug)]
pub(super) struct References {
    first: Pattern,
    renewed: Option<Pattern>,
    /// The latest frame's pattern that still matched well: the next reference when one is due.
    clean: Option<Pattern>,
    searcher: Searcher,
}

impl References {
    /// `None` when the pattern is flat.
    pub fn new(first: Pattern) -> Option<Self> {
        crate::matching::Template::new(first.values().to_vec(), first.cols, first.rows)?;
        let searcher = Searcher::new(first.values(), first.cols, first.rows);
        Some(Self { first, renewed: None, clean: None, searcher })
    }

    /// The pattern as it was picked.
    pub fn first(&self) -> &Pattern {
        &self.first
    }

    /// The pattern as it looked most recently.
    pub fn newest(&self) -> &Pattern {
        self.renewed.as_ref().unwrap_or(&self.first)
    }

    /// Whether the newest is not the first any more.
    pub fn is_renewed(&self) -> bool {
        self.renewed.is_some()
    }

    /// Looks for the newest pattern.
    pub fn searcher(&mut self) -> &mut Searcher {
        &mut self.searcher
    }

    /// Takes note of an accepted frame: how well it matched the newest reference, and how the feature looks on it.
    pub fn learn(&mut self, picked: Pattern, matched: f64) {
        if matched >= CLEAN_MATCH {
            self.clean = Some(picked);
        } else if matched < RENEW_BELOW
            && let Some(clean) = self.clean.take()
        {
            self.searcher = Searcher::new(clean.values(), clean.cols, clean.rows);
            self.renewed = Some(clean);
        }
    }
}
