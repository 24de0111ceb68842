//! Places on a way from which it can be gone again.

/// Marks that are kept at most: each holds all that was learned until then, and one that is missing costs only some
/// frames that are gone again.
const MOST: usize = 32;

/// Marks and how many frames lie before each: the start, and others evenly along the way.
pub(super) struct Marks<T> {
    all: Vec<(usize, T)>,
    /// Frames between two of them, at least.
    apart: usize,
}

impl<T> Marks<T> {
    /// A way that has not begun.
    pub fn new(start: T) -> Self {
        Self { all: vec![(0, start)], apart: 1 }
    }

    /// After so many frames a mark can be made.
    pub fn offer(&mut self, steps: usize, mark: impl FnOnce() -> T) {
        if steps < self.all[self.all.len() - 1].0 + self.apart {
            return;
        }
        self.all.push((steps, mark()));
        if self.all.len() > MOST {
            let mut count = 0..;
            self.all.retain(|_| count.next().is_some_and(|i| i % 2 == 0));
            self.apart = self.all[1].0;
        }
    }

    /// The last with no more frames before it; those after it are forgotten.
    pub fn back_to(&mut self, steps: usize) -> &T {
        let kept = self.all.partition_point(|mark| mark.0 <= steps);
        self.all.truncate(kept);
        &self.all[kept - 1].1
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn however_long_a_way_is_few_marks_are_kept_evenly_along_it() {
        let mut marks = Marks::new(0);
        for steps in (60..60_000).step_by(60) {
            marks.offer(steps, || steps);
            let places: Vec<usize> = marks.all.iter().map(|mark| mark.0).chain([steps]).collect();
            let widest = places.windows(2).map(|pair| pair[1] - pair[0]).max();
            assert!(marks.all.len() <= MOST && widest <= Some(60.max(4 * steps / MOST)), "{places:?}");
        }
        assert!(marks.all.len() > MOST / 2 && marks.all[0] == (0, 0));
    }

    #[test]
    fn a_way_is_gone_again_from_the_last_mark_before_a_frame() {
        let mut marks = Marks::new(0);
        (60..=600).step_by(60).for_each(|steps| marks.offer(steps, || steps));
        assert_eq!(*marks.back_to(179), 120);
        marks.offer(170, || 170);
        assert_eq!([*marks.back_to(500), *marks.back_to(120), *marks.back_to(5)], [170, 120, 0]);
    }
}
