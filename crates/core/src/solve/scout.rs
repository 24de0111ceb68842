//! One direction through a segment: what can be found on each frame, looking where the subject may have got to.

use super::beam::{Beam, State};
use super::rough::Sightings;
use super::{Halt, Step, Watch};
use crate::geometry::{Point, Shape};
use crate::image::{FrameSource, Window};
use crate::locate::Sighting;
use crate::look::{Find, Looker, Prediction, References};
use crate::time::Frame;

/// Places that are looked at per frame when it is not clear where it went.
const MOST_WINDOWS: usize = 2;
/// Where the subject is plainly seen it is looked for in so many times the reach in which it is believed: the match beside it says how sure it is.
const MARGIN: f64 = 1.5;
/// A state this much worse than the best is not worth a look of its own.
const HOPELESS: f64 = 6.0;
/// Each hidden frame makes the search this much wider.
const WIDER_PER_HIDDEN: f64 = 0.08;
/// It never gets wider than this many times.
const WIDEST: f64 = 3.0;
/// Finds that are kept per frame.
const FINDS: usize = 6;
/// Two finds nearer than this, in pixels, are the same place.
const SAME_PLACE: f64 = 2.0;

/// Where a direction starts.
pub(super) struct Departure {
    pub at: Point,
    pub velocity: Option<Point>,
    pub shape: Shape,
}

/// What was found on each frame, in the order of going.
pub(super) type Found = Vec<Vec<Find>>;

/// Looks at `frames` one after the other.
pub(super) fn scout<S: FrameSource>(
    source: &mut S,
    looker: &mut Looker<'_>,
    references: &mut References,
    departure: &Departure,
    (frames, sightings): (&[Frame], &Sightings),
    watch: &dyn Watch,
) -> Result<Found, Halt<S::Error>> {
    let mut beam = Beam::new(looker.size, looker.pin.least_match(), departure.at, departure.velocity, departure.shape);
    let mut found = Found::with_capacity(frames.len());
    for &frame in frames {
        if looker.pin.is_hidden(frame) {
            beam.advance(&[]);
            found.push(Vec::new());
            continue;
        }
        let sight = sight(source, looker, references, (&beam, sightings), frame).map_err(Halt::Source)?;
        let best_before = beam.states()[0];
        beam.advance(&sight.finds);
        let best = beam.states()[0];
        if let Some(find) = best.find.map(|index| sight.finds[index]) {
            let velocity = if best_before.hidden_for == 0 { find.at() - best_before.at } else { Point::default() };
            looker.learn_softness(references.newest(), &sight.windows, &find, velocity);
            references.learn(looker, source, frame, &find, find.to_newest).map_err(Halt::Source)?;
        }
        found.push(sight.finds);
        Halt::on_stop(watch, Step::Looked)?;
    }
    Ok(found)
}

struct Sight {
    finds: Vec<Find>,
    windows: Vec<Window>,
}

fn sight<S: FrameSource>(
    source: &mut S,
    looker: &mut Looker<'_>,
    references: &mut References,
    (beam, sightings): (&Beam, &Sightings),
    frame: Frame,
) -> Result<Sight, S::Error> {
    let states = beam.states();
    let places: Vec<Prediction> = match sightings.get(frame) {
        // Elsewhere nothing would be believed.
        Some(sighting) if sightings.is_plain(sighting) => {
            vec![near(&states[0], sighting, MARGIN * sightings.reach(sighting))]
        }
        // Only what goes on by itself, and what is where the subject should be.
        Some(sighting) => {
            let going_on = states.iter().find(|state| state.hidden_for == 0).map(|state| prediction(state, looker));
            let near = near(&states[0], sighting, sightings.side(sighting));
            going_on.into_iter().chain([near]).collect()
        }
        None => wherever(states, looker),
    };
    let mut sight = Sight { finds: Vec::new(), windows: Vec::new() };
    for place in places {
        let look = references.look(looker, source, frame, &place)?;
        if sight.windows.is_empty() {
            sight.windows = look.windows;
        }
        look.finds.into_iter().for_each(|find| merge(&mut sight.finds, find));
        if place.is_hidden && references.is_renewed() {
            let look = looker.look(source, frame, references.first(), &place)?;
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

/// Where the spot itself should be, wider and wider while it is hidden.
fn prediction(state: &State, looker: &Looker<'_>) -> Prediction {
    let wider = (1.0 + WIDER_PER_HIDDEN * f64::from(state.hidden_for)).min(WIDEST);
    let is_hidden = state.hidden_for > 0;
    let velocity = if is_hidden { Point::default() } else { state.velocity.unwrap_or_default() };
    Prediction { at: state.predicted(), reach: looker.reach(wider), shape: state.shape, velocity, is_hidden }
}

/// Where the spot may be by all states that are worth a look.
fn wherever(states: &[State], looker: &Looker<'_>) -> Vec<Prediction> {
    let mut places: Vec<Prediction> = Vec::with_capacity(MOST_WINDOWS);
    for state in states.iter().filter(|state| state.cost < states[0].cost + HOPELESS) {
        let place = prediction(state, looker);
        let is_seen = |other: &Prediction| {
            let off = other.at - place.at;
            off.x.abs() < place.reach.0 / 2.0 && off.y.abs() < place.reach.1 / 2.0
        };
        if places.len() < MOST_WINDOWS && !places.iter().any(is_seen) {
            places.push(place);
        }
    }
    places
}

/// Adds what was found from another side.
pub(super) fn merge_all(all: &mut Found, found: Found) {
    for (finds, more) in all.iter_mut().zip(found) {
        more.into_iter().for_each(|find| merge(finds, find));
    }
}

/// Adds a find, or lets it take the place of a worse one at the same place.
fn merge(finds: &mut Vec<Find>, find: Find) {
    match finds.iter_mut().find(|other| other.at().distance(find.at()) < SAME_PLACE) {
        Some(other) if find.matched > other.matched => *other = find,
        Some(_) => {}
        None => finds.push(find),
    }
}
