//! One direction through a segment: what can be found on each frame, looking where the subject is.

use super::beam::{Beam, State};
use super::guides::Guide;
use super::sightings::Sightings;
use super::watch::{Halt, Step, Watch};
use crate::geometry::Point;
use crate::image::{FrameSource, Window};
use crate::locate::Sighting;
use crate::look::{Candidate, FrameMatcher, Prediction, References, SAME_PLACE};
use crate::time::Frame;

/// Where the subject is plainly seen it is looked for in so many times the reach in which it is believed: the match
/// beside it says how sure it is.
const MARGIN: f64 = 1.5;
/// Finds that are kept per frame.
const FINDS: usize = 6;

/// What was found on each frame, in the order of going.
pub(super) type Found = Vec<Vec<Candidate>>;

/// Looks at `frames` one after the other.
pub(super) fn search_candidates<S: FrameSource>(
    source: &mut S,
    matcher: &mut FrameMatcher<'_>,
    references: &mut References,
    start: &Guide,
    (frames, sightings): (&[Frame], &Sightings),
    watch: &dyn Watch,
) -> Result<Found, Halt<S::Error>> {
    let mut beam = Beam::new(matcher.size, matcher.pin.least_match(), start);
    let mut found = Found::with_capacity(frames.len());
    for &frame in frames {
        if matcher.pin.is_hidden(frame) {
            beam.advance(&[]);
            found.push(Vec::new());
            continue;
        }
        let sight = sight(source, matcher, references, (&beam, sightings), frame).map_err(Halt::Source)?;
        let best_before = beam.states()[0];
        beam.advance(&sight.finds);
        let best = beam.states()[0];
        if let Some(find) = best.find.map(|index| sight.finds[index]) {
            let velocity = if best_before.hidden_for == 0 { find.at() - best_before.at } else { Point::default() };
            matcher.learn_softness(references.newest(), &sight.windows, &find, velocity);
            references.learn(matcher, source, frame, &find, find.to_newest).map_err(Halt::Source)?;
        }
        found.push(sight.finds);
        Halt::on_stop(watch, Step::Looked)?;
    }
    Ok(found)
}

struct Sight {
    finds: Vec<Candidate>,
    windows: Vec<Window>,
}

fn sight<S: FrameSource>(
    source: &mut S,
    matcher: &mut FrameMatcher<'_>,
    references: &mut References,
    (beam, sightings): (&Beam, &Sightings),
    frame: Frame,
) -> Result<Sight, S::Error> {
    let states = beam.states();
    let sighting = sightings.get(frame).expect("where the subject is was asked of every frame");
    let places: Vec<Prediction> = if sightings.is_plain(sighting) {
        // Elsewhere nothing would be believed.
        vec![near(&states[0], sighting, MARGIN * sightings.reach(sighting))]
    } else {
        // Only what goes on by itself, and what is where the subject should be.
        let seen = states.iter().find(|state| state.hidden_for == 0).map(|state| going_on(state, matcher));
        seen.into_iter().chain([near(&states[0], sighting, sightings.side(sighting))]).collect()
    };
    let mut sight = Sight { finds: Vec::new(), windows: Vec::new() };
    for place in places {
        let look = references.look(matcher, source, frame, &place)?;
        if sight.windows.is_empty() {
            sight.windows = look.windows;
        }
        look.finds.into_iter().for_each(|find| merge(&mut sight.finds, find));
        if place.is_hidden && references.is_renewed() {
            let look = matcher.look(source, frame, references.first(), &place)?;
            look.finds.into_iter().for_each(|find| merge(&mut sight.finds, find));
        }
    }
    sight.finds.sort_by(|a, b| b.matched.total_cmp(&a.matched));
    sight.finds.truncate(FINDS);
    Ok(sight)
}

/// Round where the subject is.
fn near(state: &State, sighting: &Sighting, reach: f64) -> Prediction {
    let velocity = if state.hidden_for == 0 { state.velocity.unwrap_or_default() } else { Point::default() };
    Prediction { at: sighting.at, reach: (reach, reach), shape: state.shape, velocity, is_hidden: state.hidden_for > 0 }
}

/// Where the spot itself should be, when it goes on as it went.
fn going_on(state: &State, matcher: &FrameMatcher<'_>) -> Prediction {
    let velocity = state.velocity.unwrap_or_default();
    Prediction { at: state.predicted(), reach: matcher.reach(1.0), shape: state.shape, velocity, is_hidden: false }
}

/// Adds what was found from another side.
pub(super) fn merge_all(all: &mut Found, found: Found) {
    for (finds, more) in all.iter_mut().zip(found) {
        more.into_iter().for_each(|find| merge(finds, find));
    }
}

/// Adds a find, or lets it take the place of a worse one at the same place.
fn merge(finds: &mut Vec<Candidate>, find: Candidate) {
    match finds.iter_mut().find(|other| other.at().distance(find.at()) < SAME_PLACE) {
        Some(other) if find.matched > other.matched => *other = find,
        Some(_) => {}
        None => finds.push(find),
    }
}
