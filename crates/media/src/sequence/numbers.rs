//! The numbers of numbered pictures: their order, and where some are missing.

use crate::MediaError;

/// Most pictures that may be missing in one place: more are two shots, or a mistake.
const LARGEST_GAP: u64 = 250;

/// A name in three pieces: what comes before its last number, the number, and what comes after.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Name<'n> {
    before: &'n str,
    number: u64,
    after: &'n str,
}

impl<'n> Name<'n> {
    /// `None` for a name without a number. An ending such as `.png` has none, though it may have a digit.
    fn read(name: &'n str) -> Option<Self> {
        let stem = name.rfind('.').map_or(name, |dot| &name[..dot]);
        let end = stem.rfind(|c: char| c.is_ascii_digit())? + 1;
        let start = stem[..end].rfind(|c: char| !c.is_ascii_digit()).map_or(0, |at| {
            let c = stem[at..].chars().next().map_or(1, char::len_utf8);
            at + c
        });
        Some(Self { before: &name[..start], number: name[start..end].parse().ok()?, after: &name[end..] })
    }
}

/// Pictures in their order.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Order {
    /// For each frame, which of the names that were given; that of the frame before where one is missing.
    pub frames: Vec<usize>,
    /// The number of the first.
    pub first: u64,
    /// From which number to which some are missing.
    pub gaps: Vec<(u64, u64)>,
}

impl Order {
    /// Of names that differ in their last number only.
    pub fn of(names: &[String]) -> Result<Self, MediaError> {
        let mut pictures = Vec::with_capacity(names.len());
        for (i, name) in names.iter().enumerate() {
            let read = Name::read(name).ok_or_else(|| {
                MediaError::BadInput(format!(
                    "“{name}” has no number. Numbered pictures are called shot_0001.png, shot_0002.png and so on."
                ))
            })?;
            pictures.push((read, i));
        }
        pictures.sort_by_key(|(name, _)| name.number);
        let [(first, _), .., _] = &pictures[..] else {
            return Err(MediaError::BadInput("One picture is no film: bring at least two, numbered.".into()));
        };
        let first = first.clone();
        if let Some((other, _)) =
            pictures.iter().find(|(name, _)| (name.before, name.after) != (first.before, first.after))
        {
            return Err(MediaError::BadInput(format!(
                "These are pictures of different shots: {} and {}. Bring each shot by itself.",
                shown(&first),
                shown(other)
            )));
        }
        let mut order = Self { frames: Vec::new(), first: first.number, gaps: Vec::new() };
        let mut next = first.number;
        for (Name { number, .. }, i) in &pictures {
            let missing = number.checked_sub(next).ok_or_else(|| {
                MediaError::BadInput(format!("There are two pictures with the number {number}. Take one of them away."))
            })?;
            if missing > LARGEST_GAP {
                return Err(MediaError::BadInput(format!(
                    "The numbers jump from {} to {number}. If these are two shots, bring each by itself.",
                    next - 1
                )));
            }
            if missing > 0 {
                order.gaps.push((next, number - 1));
                let before = *order.frames.last().unwrap_or(i);
                order.frames.extend((0..missing).map(|_| before));
            }
            order.frames.push(*i);
            next = number + 1;
        }
        Ok(order)
    }

    /// What a person should know of them, in sentences.
    pub fn remarks(&self) -> Vec<String> {
        /// So many gaps are named one by one.
        const NAMED: usize = 8;
        let mut remarks = Vec::new();
        if self.first != 0 {
            remarks.push(format!("Frame 0 is picture {}.", self.first));
        }
        let gap = |(from, to): &(u64, u64)| if from == to { from.to_string() } else { format!("{from} to {to}") };
        let named: Vec<String> = self.gaps.iter().take(NAMED).map(gap).collect();
        if !named.is_empty() {
            let more = self.gaps.len() - named.len();
            let more = if more > 0 { format!(" and {more} more gaps") } else { String::new() };
            remarks
                .push(format!("Missing pictures: {}{more}. The one before is shown in their place.", named.join(", ")));
        }
        remarks
    }
}

fn shown(name: &Name<'_>) -> String {
    format!("“{}{}{}”", name.before, name.number, name.after)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(names: &[&str]) -> Result<Order, String> {
        let names: Vec<String> = names.iter().map(|name| (*name).to_owned()).collect();
        Order::of(&names).map_err(|error| error.to_string())
    }

    #[test]
    fn they_come_by_number_and_not_by_letters() {
        let order = of(&["yard.10.png", "yard.9.png", "yard.11.png"]).unwrap();
        assert_eq!((order.frames, order.first, order.gaps), (vec![1, 0, 2], 9, vec![]));
    }

    #[test]
    fn the_last_number_counts_and_not_the_version() {
        let order = of(&["v2/take3_0001.jp2", "v2/take3_0002.jp2"]).unwrap();
        assert_eq!((order.frames, order.first), (vec![0, 1], 1));
    }

    #[test]
    fn a_gap_shows_what_was_before_and_is_said() {
        let order = of(&["a1.png", "a2.png", "a5.png", "a7.png"]).unwrap();
        assert_eq!(order.frames, [0, 1, 1, 1, 2, 2, 3]);
        let said = order.remarks();
        assert_eq!(said[0], "Frame 0 is picture 1.");
        assert!(said[1].starts_with("Missing pictures: 3 to 4, 6."), "{said:?}");
    }

    #[test]
    fn what_is_no_sequence_is_refused_with_what_to_do() {
        for (names, says) in [
            (vec!["a1.png"], "at least two"),
            (vec!["a1.png", "logo.png"], "“logo.png” has no number"),
            (vec!["a1.png", "b2.png"], "different shots"),
            (vec!["a01.png", "a1.png"], "two pictures with the number 1"),
            (vec!["a1.png", "a9001.png"], "jump from 1 to 9001"),
            (vec!["a1.png", "a2.jpg"], "different shots"),
            (vec!["a99999999999999999999999.png", "a2.png"], "has no number"),
        ] {
            let error = of(&names).unwrap_err();
            assert!(error.contains(says), "{names:?}: {error}");
        }
    }
}
