//! One direction through a segment: what can be found on each frame, looking where the subject may have got to.

use super::beam::Beam;
use super::rough::Sightings;
use super::{Halt, Step, Watch};
use crate::geometry::{Point, Shape};
use crate::image::{FrameSource, Window};
use crate::locate::Sighting;
use crate::look::{Find, Looker, Prediction, References};
use crate::time::Frame;

/// Places that are looked at per frame when it is not clear where it went.
const MOST_WINDOWS: usize = 2;
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
    let mut beam = Beam::new(looker.size, looker.pin.stop_below, departure.at, departure.velocity, departure.shape);
    let mut found = Found::with_capacity(frames.len());
    for &frame in frames {
        if looker.pin.is_hidden(frame) {
            beam.advance(&[]);
            found.push(Vec::new());
            continue;
        }
        let sight = sight(source, looker, references, (&beam, sightings.get(&frame)), frame).map_err(Halt::Source)?;
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
    (beam, sighting): (&Beam, Option<&Sighting>),
    frame: Frame,
) -> Result<Sight, S::Error> {
    let mut sight = Sight { finds: Vec::new(), windows: Vec::new() };
    let mut looked: Vec<Point> = Vec::with_capacity(MOST_WINDOWS + 1);
    let best_cost = beam.states()[0].cost;
    for state in beam.states().iter().filter(|state| state.cost < best_cost + HOPELESS) {
        let at = state.predicted();
        let wider = (1.0 + WIDER_PER_HIDDEN * f64::from(state.hidden_for)).min(WIDEST);
        let reach = looker.reach(wider);
        let near = |other: &Point| (other.x - at.x).abs() < reach.0 / 2.0 && (other.y - at.y).abs() < reach.1 / 2.0;
        if looked.len() >= MOST_WINDOWS || looked.iter().any(near) {
            continue;
        }
        looked.push(at);
        let velocity = if state.hidden_for == 0 { state.velocity.unwrap_or_default() } else { Point::default() };
        let prediction = Prediction { at, reach, shape: state.shape, velocity, is_hidden: state.hidden_for > 0 };
        let look = references.look(looker, source, frame, &prediction)?;
        if looked.len() == 1 {
            sight.windows = look.windows;
        }
        look.finds.into_iter().for_each(|find| merge(&mut sight.finds, find));
        if state.hidden_for > 0 && references.is_renewed() {
            let look = looker.look(source, frame, references.first(), &prediction)?;
            look.finds.into_iter().for_each(|find| merge(&mut sight.finds, find));
        }
    }
    if let Some(seen) = sighting.filter(|sighting| sighting.seen) {
        let reach = looker.reach(1.0);
        let near = |other: &Point| (other.x - seen.at.x).abs() < reach.0 && (other.y - seen.at.y).abs() < reach.1;
        if !looked.iter().any(near) {
            let state = beam.states()[0];
            let velocity = Point::default();
            let prediction = Prediction { at: seen.at, reach, shape: state.shape, velocity, is_hidden: false };
            let look = references.look(looker, source, frame, &prediction)?;
            look.finds.into_iter().for_each(|find| merge(&mut sight.finds, find));
        }
    }
    sight.finds.sort_by(|a, b| b.matched.total_cmp(&a.matched));
    sight.finds.truncate(FINDS);
    Ok(sight)
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
