//! Where a subject was lost, what changed there, and what would help most.

use serde::Serialize;

use crate::geometry::{PixelRect, Point, Rect};
use crate::image::{AnySource, Component, FrameSource, Lost, Window, with_any};
use crate::locate::Film;
use crate::pin::Pin;
use crate::time::{Frame, FrameRange};
use crate::track::{Grasp, Sample, SampleState, Track};

/// No more losses are looked into: each reads the film, and a person mends one after the other.
const MOST: usize = 12;
/// Frames before a loss over which it is judged: with fewer one noisy frame decides, with more what happened long
/// before counts.
const JUDGED: usize = 12;
/// Share of the pattern's smaller side that it goes in a frame from which it is smeared: 3-engine's third. Smaller
/// calls a walk a blur.
const SMEARED: f64 = 1.0 / 3.0;
/// The contrast of everything around falls below this share when the picture is out of focus; smaller needs a picture
/// of nothing, larger takes a wall that passes for it.
const SOFTENED: f64 = 0.5;
/// Sides of what lies around, in patterns: what covers the spot rarely covers all of it.
const AROUND: f64 = 4.0;
/// Mean squared difference of neighbouring pixels below which there is nothing that could be soft; grain alone has as
/// much.
const PLAIN: f64 = 6.0;
/// Match that is lost over the frames judged when the subject turns or changes, not at once as when it is covered.
const FADES: f64 = 0.06;

/// What changed where a subject was lost.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum LossCause {
    /// It leaves the picture.
    Leaves,
    /// It looked as before up to the loss: something is in front of it.
    Covered,
    /// It looked less and less like itself: it turns, or changes.
    Changes,
    /// Only its subject was known before: whether it is covered or changes cannot be told.
    Unlike,
    /// It is smeared by its motion, or the picture is out of focus.
    Blurred,
}

/// What would help most.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "snake_case")]
pub enum NextStep {
    /// Nothing: it is not there.
    None,
    /// Cross the gap: it is seen on both sides.
    Cross,
    /// Put it where it is on the frame, or on the next one on which it is seen.
    Put,
}

/// A run of frames on which nobody knows where a subject is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize)]
pub struct Loss {
    /// The frames.
    pub gap: FrameRange,
    /// The frame of them next to where it was seen: what happened is to be seen there.
    pub at: Frame,
    /// What changed there.
    pub cause: LossCause,
    /// What would help most.
    pub step: NextStep,
}

impl Loss {
    /// One sentence for people: how far it holds, and what happened there.
    pub fn sentence(&self) -> String {
        let FrameRange { first, last } = self.gap;
        let what = match self.cause {
            LossCause::Leaves => "it leaves the picture",
            LossCause::Covered => "something covers it",
            LossCause::Changes => "it turns or changes",
            LossCause::Unlike => "it is covered or looks different",
            LossCause::Blurred => "it is blurred",
        };
        if self.step == NextStep::Cross {
            return format!("Lost on frames {first} to {last}: {what} on frame {}.", self.at);
        }
        if self.at == first {
            return format!("It holds up to frame {}; then {what}.", first.0.saturating_sub(1));
        }
        let before = if self.cause == LossCause::Leaves { "it is outside the picture" } else { what };
        format!("It holds from frame {} on; before that {before}.", last.0 + 1)
    }
}

/// The runs of more than `most` frames of the film's part on which a solved pin was not seen, without those that a person
/// said are hidden. Of a pin that was seen nowhere there is nothing to say.
///
/// # Errors
/// Those of reading the film.
pub fn losses<S: FrameSource>(
    source: &mut S,
    pin: &Pin,
    track: &Track,
    film: Film<'_>,
    most: u32,
) -> Result<Vec<Loss>, S::Error> {
    let part = film.part;
    let spans = track.spans();
    let (Some(first), Some(last)) = (spans.first(), spans.last()) else { return Ok(Vec::new()) };
    let before = first.first.step(-1).and_then(|end| FrameRange::new(part.first, end));
    let after = last.last.step(1).and_then(|start| FrameRange::new(start, part.last));
    let between = spans.windows(2).filter_map(|pair| FrameRange::new(pair[0].last.step(1)?, pair[1].first.step(-1)?));
    let is_lost = |gap: &FrameRange| {
        let unknown = |frame: Frame| track.get(frame).is_some_and(|sample| sample.state != SampleState::Guide);
        gap.count() > most && gap.frames().all(|frame| unknown(frame) && !pin.is_hidden(frame))
    };
    let gaps = before.into_iter().chain(between).chain(after).filter(is_lost).take(MOST);
    let filmed = Rect::from(film.filmed(source.size()));
    with_any(source, |source| gaps.map(|gap| loss(source, filmed, (pin, track), gap)).collect())
}

/// Of one type, so that it is compiled here.
fn loss(source: &mut AnySource<'_>, filmed: Rect, (pin, track): (&Pin, &Track), gap: FrameRange) -> Result<Loss, Lost> {
    let seen_before = gap.first.step(-1).is_some_and(|frame| track.position(frame).is_some());
    let seen_after = gap.last.step(1).is_some_and(|frame| track.position(frame).is_some());
    let (at, back) = if seen_before { (gap.first, -1) } else { (gap.last, 1) };
    let seen: Vec<Sample> =
        (1..=JUDGED as i32).map_while(|n| track.get(at.step(back * n)?)).take_while(|s| s.state.is_present()).collect();
    let cause = cause(source, filmed, (pin, track), (at, back), &seen)?;
    let step = match cause {
        LossCause::Leaves => NextStep::None,
        _ if seen_before && seen_after => NextStep::Cross,
        _ => NextStep::Put,
    };
    Ok(Loss { gap, at, cause, step })
}

/// `seen` are the samples next to the loss, the nearest first.
fn cause<S: FrameSource>(
    source: &mut S,
    filmed: Rect,
    (pin, track): (&Pin, &Track),
    (at, back): (Frame, i32),
    seen: &[Sample],
) -> Result<LossCause, S::Error> {
    let half = [pin.pattern[0], pin.pattern[1]].map(|side| f64::from(side) / 2.0);
    let velocity = match seen {
        [near, far, ..] => near.at - far.at,
        _ => Point::default(),
    };
    let Some(near) = seen.first() else { return Ok(LossCause::Covered) };
    let expected = near.at + velocity;
    let is_outside = |place: Point| {
        place.x < filmed.left + half[0]
            || place.y < filmed.top + half[1]
            || place.x > filmed.right - half[0]
            || place.y > filmed.bottom - half[1]
    };
    if track.get(at).is_some_and(|sample| sample.state == SampleState::Outside) || is_outside(expected) {
        return Ok(LossCause::Leaves);
    }
    if velocity.length() > SMEARED * 2.0 * half[0].min(half[1]) {
        return Ok(LossCause::Blurred);
    }
    let around = |place: Point| PixelRect::around(place, AROUND * half[0], AROUND * half[1]);
    let mut contrast = |frame, place| Ok(contrast(&source.window(frame, around(place), Component::Luma)?));
    let before = contrast(at.step(back * seen.len() as i32).unwrap_or(at), seen[seen.len() - 1].at)?;
    if before > PLAIN && contrast(at, expected)? < SOFTENED * before {
        return Ok(LossCause::Blurred);
    }
    let exact: Vec<f64> = seen.iter().filter(|s| s.grasp == Grasp::Exact).map(|sample| sample.matched).collect();
    Ok(match fades(&exact) {
        _ if exact.len() * 2 < seen.len() => LossCause::Unlike,
        true => LossCause::Changes,
        false => LossCause::Covered,
    })
}

/// Whether the match fell bit by bit; the nearest to the loss comes first.
fn fades(exact: &[f64]) -> bool {
    // The last frame before something passes in front of it is half covered already.
    let (near, far) = exact[1.min(exact.len())..].split_at(exact.len().saturating_sub(1) / 2);
    let mean = |values: &[f64]| values.iter().sum::<f64>() / values.len() as f64;
    !near.is_empty() && !far.is_empty() && mean(far) - mean(near) > FADES
}

/// Mean squared difference of neighbouring pixels.
fn contrast(window: &Window) -> f64 {
    let size = window.plane.size();
    let rows = (0..size.height as usize).map(|row| window.plane.row(row));
    let square = |pair: &[u8]| f64::from(pair[0].abs_diff(pair[1])).powi(2);
    let sum: f64 = rows.flat_map(|row| row.windows(2)).map(square).sum();
    sum / size.area() as f64
}

#[cfg(test)]
mod tests {
    use uuid::Uuid;

    use super::*;
    use crate::geometry::Size;
    use crate::image::{Plane, PlaneStack, Scene};
    use crate::track::Covariance;

    const SIZE: Size = Size { width: 320, height: 240 };

    /// A film of noise that loses its contrast on the frames from `soft` on.
    struct Noise {
        soft: u32,
    }

    impl FrameSource for Noise {
        type Error = std::convert::Infallible;
        fn size(&self) -> Size {
            SIZE
        }
        fn window(&mut self, frame: Frame, rect: PixelRect, _: Component) -> Result<Window, Self::Error> {
            let strength = if frame.0 < self.soft { 90 } else { 30 };
            let grey = |col: u32, row: u32| {
                let noise = col.wrapping_mul(2_654_435_761) ^ row.wrapping_mul(40_503).wrapping_add(col * row * 97);
                (100 + (noise >> 7) % strength) as u8
            };
            Ok(Plane::from_fn(SIZE, grey).window(rect))
        }
    }

    fn all_losses(soft: u32, sample: impl Fn(u32) -> Sample) -> Vec<Loss> {
        let track: Track = (0..200).map(|n| (Frame(n), sample(n))).collect();
        let mut pin = Pin::new(Uuid::nil(), Frame(0), Point::new(50.0, 50.0), [31, 31], [40, 40]);
        pin.set_hidden(FrameRange { first: Frame(160), last: Frame(199) }, true);
        let part = FrameRange { first: Frame(0), last: Frame(199) };
        let film = Film { scene: &Scene::default(), part };
        losses(&mut Noise { soft }, &pin, &track, film, 25).unwrap_or_else(|never| match never {})
    }

    fn found(n: u32, matched: f64) -> Sample {
        let at = Point::new(50.0 + f64::from(n) * 0.5, 120.0);
        Sample { solved: true, ..Sample::bare(at, matched, Covariance::default(), SampleState::Found) }
    }

    fn hidden(n: u32) -> Sample {
        Sample::predicted(found(n, 0.0).at, SampleState::Hidden)
    }

    fn range(first: u32, last: u32) -> FrameRange {
        FrameRange { first: Frame(first), last: Frame(last) }
    }

    #[test]
    fn what_it_looked_like_before_says_what_happened() {
        let one = |soft, sample: &dyn Fn(u32) -> Sample| {
            let all = all_losses(soft, sample);
            assert_eq!(all.len(), 1, "{all:?}");
            all[0]
        };
        let covered = |n: u32| if (60..100).contains(&n) { hidden(n) } else { found(n, 0.98) };
        let loss = one(999, &covered);
        assert_eq!(loss, Loss { gap: range(60, 99), at: Frame(60), cause: LossCause::Covered, step: NextStep::Cross });
        assert_eq!(loss.sentence(), "Lost on frames 60 to 99: something covers it on frame 60.");
        assert_eq!(one(60, &covered).cause, LossCause::Blurred);
        let turning = |n: u32| {
            let fading = f64::from(n.saturating_sub(45)) * 0.02;
            if (60..100).contains(&n) { hidden(n) } else { found(n, 0.98 - fading.min(0.3)) }
        };
        assert_eq!(one(999, &turning).cause, LossCause::Changes);
        let roughly = |n: u32| Sample { grasp: Grasp::Rough, ..covered(n) };
        assert_eq!(one(999, &roughly).cause, LossCause::Unlike);
        let fast = |n: u32| match n {
            60..100 => hidden(n),
            50..60 => Sample { at: Point::new(60.0 + f64::from(n - 50) * 14.0, 120.0), ..found(n, 0.95) },
            _ => found(n, 0.98),
        };
        assert_eq!(one(999, &fast).cause, LossCause::Blurred);
    }

    #[test]
    fn who_walks_behind_a_black_border_leaves_the_picture() {
        let walks = |n: u32| {
            let at = Point::new(152.0 + 2.0 * f64::from(n), 120.0);
            if n < 60 { Sample { at, ..found(n, 0.98) } } else { hidden(n) }
        };
        let cause = |black_from: u32| {
            let picture = |col: u32, row: u32| if col < black_from { 90 + ((col * row) % 60) as u8 } else { 3 };
            let mut frames = PlaneStack::new(vec![Plane::from_fn(SIZE, picture); 100]).expect("of one size");
            let (scene, track) = (frames.scene(), (0..100).map(|n| (Frame(n), walks(n))).collect());
            let pin = Pin::new(Uuid::nil(), Frame(0), Point::new(152.0, 120.0), [31, 31], [40, 40]);
            let film = Film { scene: &scene, part: range(0, 99) };
            losses(&mut frames, &pin, &track, film, 25).expect("in memory")[0].cause
        };
        assert_eq!((cause(288), cause(320)), (LossCause::Leaves, LossCause::Covered));
    }

    #[test]
    fn its_ends_are_told_and_what_a_person_hid_is_not() {
        // Seen from 70 to 159 only, then hidden by hand.
        let late = all_losses(999, |n| if (70..160).contains(&n) { found(n, 0.98) } else { hidden(n) });
        assert_eq!(late, [Loss { gap: range(0, 69), at: Frame(69), cause: LossCause::Covered, step: NextStep::Put }]);
        assert_eq!(late[0].sentence(), "It holds from frame 70 on; before that something covers it.");
        let leaves = |n: u32| match n {
            0..80 => found(n, 0.98),
            80..150 => Sample::predicted(Point::new(-9.0, 120.0), SampleState::Outside),
            _ => found(n, 0.98),
        };
        let left = all_losses(999, leaves);
        assert_eq!((left.len(), left[0].cause, left[0].step), (1, LossCause::Leaves, NextStep::None));
        // Up to a second is crossed without being told, and who was seen nowhere was not lost.
        assert_eq!(all_losses(999, |n| if (60..85).contains(&n) { hidden(n) } else { found(n, 0.98) }), []);
        assert_eq!(all_losses(999, hidden), []);
    }
}
