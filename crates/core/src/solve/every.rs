//! A quick look: every n-th frame is solved, and what lies between is filled in.

use super::{Film, Solution, Watch, solve};
use crate::geometry::Point;
use crate::image::{FrameSource, Thinned, Thinning};
use crate::path::PathKeyframe;
use crate::pin::Pin;
use crate::time::{Frame, FrameRange};
use crate::track::{Sample, SampleState, Track};

/// [`solve`] on every `step`-th frame only, the pin's own among them. Between two of them on which it is there the
/// path is a cubic with the velocities that its neighbours show (Catmull & Rom 1974); where it is not there, nothing
/// is filled in. Guides that lie between are kept, and so is what a person has hidden there.
///
/// # Errors
/// Those of the source.
///
/// # Panics
/// When there is no source.
pub fn solve_every<S>(
    sources: Vec<S>,
    film: Film<'_>,
    pin: &Pin,
    track: &Track,
    (range, step): (FrameRange, u32),
    watch: &dyn Watch,
) -> Result<Solution, S::Error>
where
    S: FrameSource,
{
    let thinning = Thinning::through(pin.frame, step);
    let (Some(part), Some(within)) = (thinning.within(film.part), thinning.within(range)) else {
        return Ok(Solution::Solved(Track::default()));
    };
    let scene = film.scene.thinned(thinning);
    let mut sources: Vec<Thinned<S>> = sources.into_iter().map(|source| Thinned { source, thinning }).collect();
    let thin_pin = thinned_pin(pin, thinning);
    let known = |(frame, sample): (Frame, Sample)| Some((thinning.count_of(frame)?, sample));
    let thin_track: Track = track.iter().filter_map(known).collect();
    let film = Film { scene: &scene, part };
    Ok(match solve(&mut sources, film, &thin_pin, &thin_track, within, watch)? {
        Solution::Solved(solved) => {
            let on_film = solved.iter().map(|(count, sample)| (thinning.frame(count), sample));
            let guides = track.guides().filter(|(frame, _)| range.contains(*frame));
            Solution::Solved(filled_in(&on_film.chain(guides).collect(), pin, step))
        }
        Solution::FlatPattern(_) => Solution::FlatPattern(pin.frame),
        Solution::Stopped => Solution::Stopped,
    })
}

fn thinned_pin(pin: &Pin, thinning: Thinning) -> Pin {
    let hidden = pin.hidden.iter().filter_map(|range| thinning.within(*range)).collect();
    Pin { frame: thinning.count_of(pin.frame).unwrap_or(pin.frame), hidden, ..pin.clone() }
}

/// With samples between those that are at most `step` frames apart, on both of which it is there; but not where a person
/// says that it is hidden.
fn filled_in(track: &Track, pin: &Pin, step: u32) -> Track {
    let there: Vec<(Frame, Point)> = track
        .iter()
        .filter(|(_, sample)| sample.state.is_present())
        .map(|(frame, sample)| (frame, sample.at))
        .collect();
    let near = |a: usize, b: usize| there[a].0.until(there[b].0) <= i64::from(step);
    let key = |i: usize| {
        let before = i.checked_sub(1).filter(|before| near(*before, i)).unwrap_or(i);
        let after = Some(i + 1).filter(|after| *after < there.len() && near(i, *after)).unwrap_or(i);
        let frames = there[before].0.until(there[after].0).max(1) as f64;
        PathKeyframe::smooth(there[i].0, there[i].1, (there[after].1 - there[before].1) * (1.0 / frames))
    };
    let mut filled = track.clone();
    for i in 1..there.len() {
        if !near(i - 1, i) {
            continue;
        }
        let (from, to) = (key(i - 1), key(i));
        let between = (there[i - 1].0.0 + 1..there[i].0.0).map(Frame);
        for frame in between.filter(|frame| !pin.is_hidden(*frame)) {
            let sample = Sample::predicted(from.between(&to, frame), SampleState::Bridged);
            filled.set(frame, Some(Sample { solved: true, ..sample }));
        }
    }
    filled
}

#[cfg(test)]
mod tests {
    use uuid::Uuid;

    use super::*;
    use crate::geometry::Size;
    use crate::image::{Plane, PlaneStack};
    use crate::solve::Unwatched;

    const FRAMES: u32 = 61;

    fn place(frame: u32) -> Point {
        let t = f64::from(frame);
        Point::new(60.0 + 1.5 * t, 60.0 + 14.0 * (t / 20.0).sin())
    }

    /// A blob with a bright and a dark side, on ground that does not move.
    fn film() -> PlaneStack {
        let size = Size::new(220, 120);
        let plane = |frame: u32| {
            let at = place(frame);
            let pixel = |i: usize| {
                let (x, y) = ((i % 220) as f64 + 0.5, (i / 220) as f64 + 0.5);
                let (dx, dy) = (x - at.x, y - at.y);
                let ground = 120.0 + 3.0 * (x * 0.31).sin() * (y * 0.27).cos();
                (ground + 90.0 * (-(dx * dx + dy * dy) / 90.0).exp() * (dx * 0.5 + dy * 0.3).sin()) as u8
            };
            Plane::new(size, (0..size.area()).map(pixel).collect()).unwrap()
        };
        PlaneStack::new((0..FRAMES).map(plane).collect()).unwrap()
    }

    #[test]
    fn every_fourth_frame_says_what_lies_between() {
        let film = film();
        let mut pin = Pin::new(Uuid::nil(), Frame(21), place(21), [21, 21], [40, 40]);
        pin.set_hidden(FrameRange { first: Frame(40), last: Frame(46) }, true);
        // Between two frames that are looked at.
        pin.set_hidden(FrameRange { first: Frame(54), last: Frame(55) }, true);
        let range = FrameRange { first: Frame(0), last: Frame(FRAMES - 1) };
        let mut track = Track::default();
        // By hand, on a frame that is not looked at.
        track.set(Frame(30), Some(Sample::guide(place(30) + Point::new(0.5, 0.0))));
        let scene = film.scene();
        let whole = Film { scene: &scene, part: range };
        let solved = solve_every(vec![film], whole, &pin, &track, (range, 4), &Unwatched).unwrap();
        let Solution::Solved(solved) = solved else { panic!("{solved:?}") };
        for frame in 1..58 {
            let sample = solved.get(Frame(frame));
            let state = sample.map(|sample| sample.state);
            if frame == 30 {
                assert_eq!(state, Some(SampleState::Guide));
            } else if frame % 4 != 1 {
                let is_known = !(38..49).contains(&frame) && !(54..56).contains(&frame);
                assert_eq!(state, is_known.then_some(SampleState::Bridged), "frame {frame}");
            }
            let there = sample.filter(|sample| sample.state.is_present() && !(26..34).contains(&frame));
            assert!(there.is_none_or(|sample| sample.at.distance(place(frame)) < 0.3), "{frame}: {sample:?}");
        }
        assert_eq!(solved.get(Frame(41)).map(|sample| sample.state), Some(SampleState::Hidden));
        assert_eq!(solved.get(Frame(53)).map(|sample| sample.state), Some(SampleState::Found));
    }
}
