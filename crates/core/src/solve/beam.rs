//! The best path through the places found, frame by frame, with the possibility of being hidden: dynamic programming
//! (Viterbi 1967) over the best few states of each frame.

use super::guides::Guide;
use crate::geometry::{LocalWarp, Point, Size};
use crate::look::Candidate;

/// States kept per frame. Enough for a look-alike, a hidden run, and what they were before; more never changed a
/// result.
const BEAM: usize = 12;
/// Ways that lead to one find and are kept: they differ in velocity, which the next frame may care about.
const WAYS_TO_A_FIND: usize = 3;
/// Hidden states kept.
const HIDDEN_WAYS: usize = 4;

/// Cost of a hidden frame. The unit of all costs here: a find just at the pin's threshold costs a little less.
const HIDDEN: f64 = 0.25;
/// Cost of a hidden frame in a long run: so that a long absence does not make any look-alike welcome.
const LONG_HIDDEN: f64 = 0.12;
/// Hidden frames after which a run is long.
const LONG_RUN: u32 = 24;
/// Cost of a frame on which it is predicted to be outside the picture, while nothing like it can be seen.
const OUTSIDE: f64 = 0.03;
/// Cost of a find at the threshold, over the cost of being hidden. Below 1, or the threshold would not be the
/// threshold.
const AT_THRESHOLD: f64 = 0.85;
/// Cost of going hidden: with a long run's it must stay below that of two jumps, or it would hop to a look-alike
/// instead.
const GO_HIDDEN: f64 = 1.2;
/// Cost of a jump: a change of velocity far beyond what this shot has.
const JUMP: f64 = 4.0;
/// A leap to something that could be seen beside it before costs this many times as much: that is another thing.
const RIVAL: f64 = 4.5;
/// A change of velocity this many times the usual one costs half of what a jump costs.
const JUMP_TIMES: f64 = 4.0;
/// A change of velocity below this is no jump in any shot, in pixels per frame.
const LEAST_JUMP: f64 = 6.0;
/// The change of velocity that costs half a jump before any has been seen, in pixels per frame.
const FIRST_JUMP: f64 = 16.0;
/// Changes of velocity that make experience.
const EXPERIENCE: usize = 8;
/// The newest so many count.
const MEMORY: usize = 40;
/// Each hidden frame widens what a place may differ from the prediction by this share.
const WIDER_PER_HIDDEN: f64 = 0.4;
/// Share of the velocity that is kept from one hidden frame to the next. Larger, and who slows down behind something is
/// looked for far ahead, and guessed places run away; smaller, and a car is looked for behind itself.
pub(super) const KEPT_VELOCITY: f64 = 0.97;

/// One way the subject may have come to be where it may be.
#[derive(Clone, Copy, Debug)]
pub(super) struct State {
    pub cost: f64,
    /// Where it is, or would be if it could be seen.
    pub at: Point,
    /// `None` when only one place is known.
    pub velocity: Option<Point>,
    pub shape: LocalWarp,
    /// Frames since it was seen.
    pub hidden_for: u32,
    /// Index of the find of this frame.
    pub find: Option<usize>,
    /// Index of the state of the frame before.
    before: usize,
}

impl State {
    /// Where it should be on the next frame.
    pub fn predicted(&self) -> Point {
        self.at + self.velocity.unwrap_or_default()
    }
}

/// States of all frames so far.
pub(super) struct Beam {
    size: Size,
    stop_below: f64,
    frames: Vec<Vec<State>>,
    /// Places found on the newest frame.
    places: Vec<Point>,
    /// Lately seen changes of velocity on the best way.
    changes: Vec<f64>,
}

impl Beam {
    /// How it moves at the guide is for the picture to say: what an earlier solve or the live pass has put beside it may
    /// be wrong, or a copy of the guide's own frame.
    pub fn new(size: Size, stop_below: f64, from: &Guide) -> Self {
        let Guide { at, shape, .. } = *from;
        let start = State { cost: 0.0, at, velocity: None, shape, hidden_for: 0, find: None, before: 0 };
        Self { size, stop_below, frames: vec![vec![start]], places: Vec::new(), changes: Vec::new() }
    }

    /// The states of the newest frame, best first.
    pub fn states(&self) -> &[State] {
        self.frames.last().expect("there is the start")
    }

    /// Goes on by a frame on which these places were found.
    pub fn advance(&mut self, finds: &[Candidate]) {
        let jump = self.usual_jump();
        let mut next: Vec<State> = Vec::with_capacity(BEAM * 2);
        for (index, find) in finds.iter().enumerate().filter(|(_, find)| find.matched >= self.stop_below) {
            let ways = self.states().iter().enumerate();
            let mut ways: Vec<State> =
                ways.flat_map(|(before, state)| self.seen(state, before, find, index, jump)).collect();
            keep_best(&mut ways, WAYS_TO_A_FIND);
            next.extend(ways);
        }
        let best = finds.iter().map(|find| find.matched).fold(0.0, f64::max);
        let outside = outside_cost(best, self.stop_below);
        let states = self.states().iter().enumerate();
        let mut hidden: Vec<State> = states.map(|(before, state)| self.hidden(state, before, outside)).collect();
        keep_best(&mut hidden, HIDDEN_WAYS);
        next.extend(hidden);
        keep_best(&mut next, BEAM);
        self.remember(&next[0]);
        self.frames.push(next);
        // What does not look like the pattern is no rival.
        let rivals = finds.iter().filter(|find| find.matched >= self.stop_below);
        self.places = rivals.map(Candidate::at).collect();
    }

    /// Goes on by a frame on which it is known where it is.
    pub fn arrive(&mut self, find: &Candidate) {
        let jump = self.usual_jump();
        let ways = self.states().iter().enumerate();
        let mut ways: Vec<State> = ways.flat_map(|(before, state)| self.seen(state, before, find, 0, jump)).collect();
        keep_best(&mut ways, 1);
        self.frames.push(ways);
    }

    /// The find of each frame on the best way, in the order in which frames were added; `None` where it is hidden.
    pub fn best_way(&self) -> Vec<Option<usize>> {
        let mut way = Vec::with_capacity(self.frames.len());
        let mut index = 0;
        for states in self.frames[1..].iter().rev() {
            way.push(states[index].find);
            index = states[index].before;
        }
        way.reverse();
        way
    }

    /// Goes from a state to a find: by moving there, or, when that would be sudden, by everything having been shifted
    /// (a knock on the camera), after which it moves on as before.
    fn seen(
        &self,
        state: &State,
        before: usize,
        find: &Candidate,
        index: usize,
        jump: f64,
    ) -> impl Iterator<Item = State> {
        let at = find.at();
        let match_cost = HIDDEN * AT_THRESHOLD * (1.0 - find.matched) / (1.0 - self.stop_below).max(0.01);
        let wider = 1.0 + WIDER_PER_HIDDEN * f64::from(state.hidden_for);
        // With one place known any speed is as good.
        let slack = if state.velocity.is_some() { wider } else { 4.0 * wider };
        let times = at.distance(state.predicted()) / (jump * slack);
        let fourth = times.powi(4);
        let dearer = if times > 0.5 && self.was_beside(state, at, jump) { RIVAL } else { 1.0 };
        let passed = f64::from(state.hidden_for + 1);
        // After a hidden run the mean velocity over it is what is known; after a long one, or one outside, nothing is.
        let from = state.at - state.velocity.unwrap_or_default() * (passed - 1.0);
        let is_new = state.hidden_for > LONG_RUN || !self.size.contains(state.at);
        let moved = State {
            cost: state.cost + match_cost + dearer * JUMP * fourth / (1.0 + fourth),
            at,
            velocity: (!is_new).then(|| (at - from) * (1.0 / passed)),
            shape: find.map.warp(),
            hidden_for: 0,
            find: Some(index),
            before,
        };
        let shifted = (times > 0.5 && state.velocity.is_some()).then_some(State { velocity: state.velocity, ..moved });
        std::iter::once(moved).chain(shifted)
    }

    /// Whether something could be seen on the frame before about where this is now, which was not the state's own find.
    fn was_beside(&self, state: &State, at: Point, jump: f64) -> bool {
        let others = self.places.iter().enumerate().filter(|(index, _)| Some(*index) != state.find);
        others.map(|(_, place)| place.distance(at)).any(|distance| distance < jump)
    }

    fn hidden(&self, state: &State, before: usize, outside: f64) -> State {
        // Outside it is waited for where it left: further out it could not be seen anyway.
        let at = if self.size.contains(state.at) { state.predicted() } else { state.at };
        let frame = match () {
            () if !self.size.contains(at) => outside,
            () if state.hidden_for >= LONG_RUN => LONG_HIDDEN,
            () => HIDDEN,
        };
        let going = if state.hidden_for == 0 { GO_HIDDEN } else { 0.0 };
        State {
            cost: state.cost + frame + going,
            at,
            velocity: state.velocity.map(|velocity| velocity * KEPT_VELOCITY),
            shape: state.shape,
            hidden_for: state.hidden_for + 1,
            find: None,
            before,
        }
    }

    fn usual_jump(&self) -> f64 {
        if self.changes.len() < EXPERIENCE {
            return FIRST_JUMP;
        }
        let mut sorted = self.changes.clone();
        sorted.sort_by(f64::total_cmp);
        (JUMP_TIMES * sorted[sorted.len() / 2]).max(LEAST_JUMP)
    }

    fn remember(&mut self, best: &State) {
        let before = self.states()[best.before];
        if best.find.is_some() && before.find.is_some() && before.velocity.is_some() {
            self.changes.push(best.at.distance(before.predicted()));
            if self.changes.len() > MEMORY {
                self.changes.remove(0);
            }
        }
    }
}

/// Being outside is no surprise, but the surer something like it is seen inside, the more it is one.
fn outside_cost(best_match: f64, stop_below: f64) -> f64 {
    let likeness = ((best_match - stop_below) / (1.0 - stop_below).max(0.01)).clamp(0.0, 1.0);
    OUTSIDE + (HIDDEN - OUTSIDE) * likeness.powi(2)
}

fn keep_best(states: &mut Vec<State>, most: usize) {
    states.sort_by(|a, b| a.cost.total_cmp(&b.cost));
    states.truncate(most);
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::time::Frame;
    use crate::track::Covariance;

    const SIZE: Size = Size::new(800, 400);

    fn find(x: f64, matched: f64) -> Candidate {
        let map = LocalWarp::SAME.placed(Point::new(x, 200.0));
        Candidate { matched, covariance: Covariance::default(), ..Candidate::nothing(map) }
    }

    fn way(frames: &[Vec<Candidate>]) -> Vec<Option<usize>> {
        let from = Guide { frame: Frame(0), at: Point::new(100.0, 200.0), shape: LocalWarp::SAME };
        let mut beam = Beam::new(SIZE, 0.8, &from);
        frames.iter().for_each(|finds| beam.advance(finds));
        beam.best_way()
    }

    fn x(n: usize) -> f64 {
        100.0 + 4.0 * (n + 1) as f64
    }

    #[test]
    fn a_pole_in_front_is_a_hidden_run_though_a_look_alike_stands_by() {
        let frames: Vec<Vec<Candidate>> = (0..50)
            .map(|n| match n {
                20..32 => vec![find(x(n) + 60.0, 0.93)],
                _ => vec![find(x(n), 0.96), find(x(n) + 60.0, 0.93)],
            })
            .collect();
        let way = way(&frames);
        assert!((0..50).all(|n| way[n] == if (20..32).contains(&n) { None } else { Some(0) }), "{way:?}");
    }

    #[test]
    fn a_better_looking_neighbour_does_not_make_it_hop() {
        let frames: Vec<Vec<Candidate>> = (0..40).map(|n| vec![find(x(n) + 55.0, 0.97), find(x(n), 0.95)]).collect();
        // The first frame knows no velocity, so a hop there is judged by distance alone.
        assert!(way(&frames).iter().all(|find| *find == Some(1)), "{:?}", way(&frames));
    }

    #[test]
    fn a_jump_of_everything_is_gone_along_with() {
        let frames: Vec<Vec<Candidate>> =
            (0..70).map(|n| vec![find(x(n) + if n < 20 { 0.0 } else { 25.0 }, 0.95)]).collect();
        assert!(way(&frames).iter().all(|find| *find == Some(0)), "{:?}", way(&frames));
    }

    #[test]
    fn below_the_threshold_nothing_is_found() {
        let frames = vec![vec![find(x(0), 0.79)], vec![find(x(1), 0.5)]];
        assert_eq!(way(&frames), [None, None]);
    }
}
