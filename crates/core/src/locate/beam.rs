//! Ways the subject may have gone, with the possibility of being hidden: dynamic programming (Viterbi 1967; Buchanan &
//! Fitzgibbon 2006 for following) over the best few states of each frame.

use super::settings::Settings;
use crate::geometry::{Point, Rect};
use crate::image::CameraMove;

/// Hidden ones among them.
const HIDDEN_WAYS: usize = 4;
/// Ways to one place that are kept: who comes from elsewhere goes on elsewhere.
const WAYS_TO_A_PLACE: usize = 2;
/// Two states nearer than this share of the box are the same.
const SAME: f64 = 0.2;
/// Cost of looking unlike the learned picture and unlike all key pictures: the logarithm of both. They are two opinions
/// of the same thing, so each has less than a full say.
const LOOKS: f64 = 0.7;
/// A correlation of this with a key picture is as good as any: who turns has no more. And one below this is as bad as
/// any.
const PLAINLY_KNOWN: f64 = 0.8;
const LEAST_KNOWN: f64 = 0.05;
/// Cost of a hidden frame, and of going hidden. Clutter costs about as much, so that what is not plainly seen has to be
/// where it was expected.
const HIDDEN: f64 = 1.2;
const GO_HIDDEN: f64 = 1.0;
/// A long absence gets cheaper frame by frame, down to half: who is behind a bus stays there for a while.
const LONG: u32 = 12;
const CHEAPER: f64 = 0.97;
const CHEAPEST: f64 = 0.5;
/// It goes on through moments of fewer frames, twice as many as make it long: else who shows up between two obstacles
/// would cost more than who does not.
const RECOVERED: u32 = 2 * LONG;
/// Who comes back after a long absence may be anywhere, and in all those places and frames much looks like anybody:
/// nothing may speak more against its looks than this.
const PLAINLY_BACK: f64 = 0.25;
/// What stood still before it was covered, to so many boxes a frame, comes back where it was, to this share of the box.
/// There next to nothing looks like it by chance, so more may speak against it. So slow is half of a pixel in the least
/// box: towers and windows on real film go 0.2 to 0.3 in the median, walkers 1.0 to 5.4. No other values were tried.
const STANDS: f64 = 0.02;
const WHERE_IT_WAS: f64 = 0.25;
const BACK_WHERE_IT_WAS: f64 = 0.6;
/// What has been in its place, to this share of the box, for so many frames, about a second, and then is not seen for a
/// moment, has not gone further than a box, unless nothing speaks against it: of what passes before a tower some part
/// looks somewhat like it. The share is more than a camera shakes on real film (3.4 px of a box of 20); no other values
/// were tried.
const IN_PLACE: f64 = 0.25;
const STOOD: u32 = 24;
const COVERED: u32 = 2;
/// Leaving the picture is no surprise.
const LEAVING: f64 = 0.7;
/// Motion costs `MOTION * ln(1 + d^2 / (SPREAD * s^2))`: like a Gaussian for small `d`, and never out of the question.
const MOTION: f64 = 1.5;
const SPREAD: f64 = 1.5;
/// What `s` is made of: shares of the box, and of the motion itself.
const PLAY: f64 = 0.16;
const PLAY_OF_MOTION: f64 = 0.35;
const PLAY_PER_COPY: f64 = 0.15;
const PLAY_PER_HIDDEN: f64 = 0.5;
/// Before any velocity is known a subject may do anything within reach.
const PLAY_UNKNOWN: f64 = 2.5;
/// Velocity that is kept, of the two that are known: for each unit of the film's pace, and for each frame.
const PACE_KEPT: f64 = 0.6;
const STEP_KEPT: f64 = 0.75;
/// A hidden subject slows down: people do, and a guess should not run away.
const HIDDEN_KEPT: f64 = 0.93;
/// Frames over which copies widen the play.
const MOST_COPIES: u32 = 8;

/// A place where the subject may be on a frame.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Candidate {
    pub at: Point,
    /// Response over the usual one.
    pub likeness: f64,
    /// What it costs to look like the empty scene, or unlike it.
    pub plate: f64,
    /// How little it looks like any key picture, 0 to 1.
    pub strange: f64,
    /// Size over the size at the start.
    pub scale: f64,
}

impl Candidate {
    pub fn cost(&self) -> f64 {
        let known = (1.0 - self.strange).max(LEAST_KNOWN) / PLAINLY_KNOWN;
        -LOOKS * (self.likeness.clamp(1e-3, 1.0).ln() + known.min(1.0).ln()) + self.plate
    }

    /// What it costs when it has to look like a key picture.
    fn cost_when_back(&self) -> f64 {
        self.cost() + self.strange
    }
}

/// How the film goes on from one frame to the next.
#[derive(Clone, Copy, Debug)]
pub(super) struct FrameStep {
    pub camera: CameraMove,
    /// Of this frame; 1 is usual.
    pub pace: f64,
    /// Copies since the last frame that was none.
    pub copies: u32,
}

impl FrameStep {
    /// Frames of time that have passed since the last one that was no copy.
    fn frames(&self) -> f64 {
        f64::from(self.copies) + 1.0
    }
}

/// One way the subject may have come to be where it may be.
#[derive(Clone, Copy, Debug)]
pub(super) struct State {
    pub cost: f64,
    pub at: Point,
    /// Pixels for each unit of pace, and for each frame.
    pace: Point,
    step: Point,
    pub has_velocity: bool,
    pub hidden_for: u32,
    /// Frames since it was lost, those on which it was seen for a moment among them.
    lost_for: u32,
    /// Frames since it was hidden last.
    seen_for: u32,
    /// Size over the size at the start, when it was last seen.
    pub scale: f64,
    /// Where it was last seen, carried along by the camera, and what has passed since.
    seen_at: Point,
    frames_since: f64,
    paces_since: f64,
    /// Where it was last seen in the picture, and whether it stood still there. What covers most of a picture is taken for
    /// a move of the camera, and carries everything else away.
    pub left_at: Point,
    pub stood: bool,
    /// The place that it has not left since it came there, and for how many frames it was seen in it.
    stands_at: Point,
    stands_for: u32,
    /// Of this frame's candidates.
    pub candidate: Option<usize>,
    before: usize,
}

impl State {
    /// Where it should be: by the film's pace, and by its own.
    pub fn predicted(&self, passage: &FrameStep) -> [Point; 2] {
        let moved = passage.camera.apply(self.at);
        [moved + self.pace * passage.pace, moved + self.step * passage.frames()]
    }
}

/// States of all frames so far.
pub(super) struct Beam {
    inside: Rect,
    pub side: f64,
    /// Whether it is known by what lies behind it, in whatever light and shade.
    pub is_background: bool,
    settings: Settings,
    frames: Vec<Vec<State>>,
}

impl Beam {
    pub fn new(inside: Rect, side: f64, at: Point, velocity: Option<Point>, settings: Settings) -> Self {
        let start = State {
            cost: 0.0,
            at,
            pace: velocity.unwrap_or_default(),
            step: velocity.unwrap_or_default(),
            has_velocity: velocity.is_some(),
            hidden_for: 0,
            lost_for: 0,
            seen_for: 0,
            scale: 1.0,
            seen_at: at,
            frames_since: 0.0,
            paces_since: 0.0,
            left_at: at,
            stood: false,
            stands_at: at,
            stands_for: 0,
            candidate: None,
            before: 0,
        };
        Self { inside, side, is_background: false, settings, frames: vec![vec![start]] }
    }

    /// States of the newest frame, best first.
    pub fn states(&self) -> &[State] {
        self.frames.last().expect("there is the start")
    }

    /// Frames gone so far.
    pub fn steps(&self) -> usize {
        self.frames.len() - 1
    }

    /// Forgets all but so many frames gone.
    pub fn back_to(&mut self, steps: usize) {
        self.frames.truncate(steps + 1);
    }

    /// Sets right how large the subject is in the best of the newest states.
    pub fn scale_best(&mut self, scale: f64) {
        self.frames.last_mut().expect("there is the start")[0].scale = scale;
    }

    /// Goes on by a frame that is a copy of the one before: nothing moves, and nothing is learned.
    pub fn stand_still(&mut self) {
        let same = self.states().iter().enumerate().map(|(before, state)| State { before, ..*state });
        let next = same.collect();
        self.frames.push(next);
    }

    /// Goes on by a frame with these candidates.
    pub fn advance(&mut self, candidates: &[Candidate], passage: &FrameStep) {
        let mut next: Vec<State> = Vec::with_capacity(self.settings.beam * 2);
        for (index, candidate) in candidates.iter().enumerate() {
            let ways = self.states().iter().enumerate().filter(|(_, state)| self.may_be(state, candidate));
            let mut seen: Vec<State> =
                ways.map(|(before, state)| self.seen(state, before, candidate, index, passage)).collect();
            self.thin(&mut seen, WAYS_TO_A_PLACE, passage);
            next.extend(seen);
        }
        if self.settings.hidden {
            let states = self.states().iter().enumerate();
            let mut hidden: Vec<State> = states.map(|(before, state)| self.hidden(state, before, passage)).collect();
            self.thin(&mut hidden, HIDDEN_WAYS, passage);
            next.extend(hidden);
        }
        next.sort_by(|a, b| a.cost.total_cmp(&b.cost));
        next.truncate(self.settings.beam);
        if next.is_empty() {
            // Nothing there, and it may not be hidden: it stays where it was, unseen.
            let same = self.states().iter().enumerate();
            next = same.map(|(before, state)| State { before, candidate: None, ..*state }).collect();
        }
        self.frames.push(next);
    }

    /// Index of each frame's state on the best way, in the order in which frames were added.
    pub fn best_way(&self) -> Vec<State> {
        let mut way = Vec::with_capacity(self.frames.len());
        let mut index = 0;
        for states in self.frames[1..].iter().rev() {
            way.push(states[index]);
            index = states[index].before;
        }
        way.reverse();
        way
    }

    fn play(&self, state: &State, longest: f64, passage: &FrameStep) -> f64 {
        let copies = 1.0 + PLAY_PER_COPY * f64::from(passage.copies.min(MOST_COPIES));
        let unknown = if state.has_velocity { 1.0 } else { PLAY_UNKNOWN };
        let play = PLAY * self.side * copies + PLAY_OF_MOTION * longest;
        play * unknown * (1.0 + PLAY_PER_HIDDEN * f64::from(state.hidden_for))
    }

    /// What it costs to go from a state to a place.
    pub fn way_cost(&self, state: &State, to: Point, passage: &FrameStep) -> f64 {
        let [by_pace, by_step] = state.predicted(passage);
        let longest = (state.pace * passage.pace).length().max(state.step.length() * passage.frames());
        let off = distance_to_line(to, by_pace, by_step) / self.play(state, longest, passage);
        MOTION * (off * off / SPREAD).ln_1p()
    }

    /// Whether a place may be that of who has been away until now.
    fn may_be(&self, state: &State, candidate: &Candidate) -> bool {
        if self.is_background || !self.settings.wary_of_returns {
            return true;
        }
        let off = state.left_at.distance(candidate.at).min(state.seen_at.distance(candidate.at));
        let has_stood = state.stands_for >= STOOD && state.lost_for >= COVERED;
        let asks_looks = state.hidden_for >= LONG || has_stood && off > self.side;
        let is_where_it_was = state.stood && off < WHERE_IT_WAS * self.side;
        let against = if is_where_it_was { BACK_WHERE_IT_WAS } else { PLAINLY_BACK };
        !asks_looks || candidate.cost_when_back() <= against
    }

    fn seen(&self, state: &State, before: usize, candidate: &Candidate, index: usize, passage: &FrameStep) -> State {
        let looks = if state.hidden_for >= 2 { candidate.cost_when_back() } else { candidate.cost() };
        let (frames, paces) = (state.frames_since + passage.frames(), state.paces_since + passage.pace);
        let moved = candidate.at - passage.camera.apply(state.seen_at);
        let (pace, step) = (moved * (1.0 / paces), moved * (1.0 / frames));
        let seen_for = state.seen_for + 1;
        // Who comes back after long moves otherwise, and the way there says nothing of how.
        let is_long_ago = state.hidden_for >= LONG;
        let knows = state.has_velocity && !is_long_ago;
        let mixed = |old: Point, new: Point, kept: f64| if knows { old * kept + new * (1.0 - kept) } else { new };
        let step = mixed(state.step, step, STEP_KEPT);
        let is_lost = state.lost_for > 0 && seen_for < RECOVERED;
        let here = (candidate.at, !is_long_ago && step.length() < STANDS * self.side);
        let (left_at, stood) = if is_lost { (state.left_at, state.stood) } else { here };
        let is_in_place = state.stands_at.distance(candidate.at) < IN_PLACE * self.side;
        let (stands_at, stands_for) = match () {
            () if is_in_place => (state.stands_at, state.stands_for + 1 + passage.copies),
            () if is_lost => (state.stands_at, state.stands_for),
            () => (candidate.at, 0),
        };
        State {
            stands_at,
            stands_for,
            cost: state.cost + looks + self.way_cost(state, candidate.at, passage),
            at: candidate.at,
            pace: mixed(state.pace, pace, PACE_KEPT),
            step,
            has_velocity: !is_long_ago,
            hidden_for: 0,
            seen_for,
            lost_for: if is_lost { state.lost_for + 1 } else { 0 },
            scale: candidate.scale,
            seen_at: candidate.at,
            frames_since: 0.0,
            paces_since: 0.0,
            left_at,
            stood,
            candidate: Some(index),
            before,
        }
    }

    fn hidden(&self, state: &State, before: usize, passage: &FrameStep) -> State {
        let [by_pace, by_step] = state.predicted(passage);
        // Not further out than a box: there it could not be seen, and would never come back.
        let at = self.grown(self.side).nearest((by_pace + by_step) * 0.5);
        let is_leaving = !self.grown(-self.side / 2.0).contains(at);
        let longer = state.lost_for.saturating_sub(LONG);
        let frame = HIDDEN * CHEAPER.powi(longer as i32).max(CHEAPEST) * if is_leaving { LEAVING } else { 1.0 };
        State {
            cost: state.cost + frame + if state.hidden_for == 0 { GO_HIDDEN } else { 0.0 },
            at,
            pace: state.pace * HIDDEN_KEPT,
            step: state.step * HIDDEN_KEPT,
            hidden_for: state.hidden_for + 1,
            lost_for: state.lost_for + 1,
            seen_for: 0,
            seen_at: passage.camera.apply(state.seen_at),
            frames_since: state.frames_since + passage.frames(),
            paces_since: state.paces_since + passage.pace,
            candidate: None,
            before,
            ..*state
        }
    }

    /// The picture and so much around it, or less of it.
    fn grown(&self, by: f64) -> Rect {
        let Rect { left, top, right, bottom } = self.inside;
        let middle = self.inside.middle();
        Rect {
            left: (left - by).min(middle.x),
            top: (top - by).min(middle.y),
            right: (right + by).max(middle.x),
            bottom: (bottom + by).max(middle.y),
        }
    }

    /// Keeps the best of those that lie together, now and on the frame to come.
    fn thin(&self, states: &mut Vec<State>, most: usize, passage: &FrameStep) {
        states.sort_by(|a, b| a.cost.total_cmp(&b.cost));
        let mut kept: Vec<State> = Vec::with_capacity(most);
        for state in states.iter() {
            let next = |state: &State| state.at + (state.pace * passage.pace + state.step * passage.frames()) * 0.5;
            let is_far = |a: Point, b: Point| a.distance(b) > SAME * self.side;
            if kept.len() < most
                && kept.iter().all(|other| is_far(other.at, state.at) || is_far(next(other), next(state)))
            {
                kept.push(*state);
            }
        }
        *states = kept;
    }
}

fn distance_to_line(point: Point, from: Point, to: Point) -> f64 {
    let (way, off) = (to - from, point - from);
    let length = way.x * way.x + way.y * way.y;
    let share = if length > 0.0 { ((off.x * way.x + off.y * way.y) / length).clamp(0.0, 1.0) } else { 0.0 };
    point.distance(from + way * share)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const INSIDE: Rect = Rect { left: 0.0, top: 0.0, right: 640.0, bottom: 360.0 };
    const EVEN: FrameStep = FrameStep { camera: CameraMove::NONE, pace: 1.0, copies: 0 };

    fn candidate(x: f64, likeness: f64) -> Candidate {
        Candidate { at: Point::new(x, 100.0), likeness, plate: 0.0, strange: 0.2, scale: 1.0 }
    }

    fn beam(settings: Settings) -> Beam {
        Beam::new(INSIDE, 25.0, Point::new(100.0, 100.0), Some(Point::new(4.0, 0.0)), settings)
    }

    fn way(frames: &[Vec<Candidate>]) -> Vec<Option<usize>> {
        let mut beam = beam(Settings::default());
        frames.iter().for_each(|candidates| beam.advance(candidates, &EVEN));
        beam.best_way().iter().map(|state| state.candidate).collect()
    }

    #[test]
    fn who_goes_behind_somebody_is_hidden_and_comes_back() {
        let x = |n: usize| 104.0 + 4.0 * n as f64;
        let frames: Vec<Vec<Candidate>> = (0..40)
            .map(|n| match n {
                // Clutter, well away.
                15..25 => vec![candidate(x(n) + 60.0, 0.55)],
                _ => vec![candidate(x(n), 0.9), candidate(x(n) + 60.0, 0.55)],
            })
            .collect();
        let way = way(&frames);
        assert!((0..40).all(|n| way[n] == if (15..25).contains(&n) { None } else { Some(0) }), "{way:?}");
    }

    #[test]
    fn a_copied_frame_costs_nothing_and_the_next_step_is_longer() {
        let mut beam = beam(Settings::default());
        beam.advance(&[candidate(104.0, 1.0)], &EVEN);
        let before = beam.states()[0].cost;
        (0..4).for_each(|_| beam.stand_still());
        assert_eq!(beam.states()[0].cost, before);
        let state = beam.states()[0];
        let after_copies = FrameStep { copies: 4, ..EVEN };
        let expected = beam.way_cost(&state, Point::new(124.0, 100.0), &after_copies);
        assert!(expected < 1e-9, "five frames of time are five steps: {expected}");
        assert!(beam.way_cost(&state, Point::new(124.0, 100.0), &EVEN) > 1.0);
    }

    #[test]
    fn who_shows_up_between_two_obstacles_is_seen_there() {
        let mut beam = beam(Settings::default());
        let away = |beam: &mut Beam, frames: u32| (0..frames).for_each(|_| beam.advance(&[], &EVEN));
        away(&mut beam, 11);
        (0..8).for_each(|n| beam.advance(&[candidate(170.0 + f64::from(n), 0.8)], &EVEN));
        away(&mut beam, 200);
        let way = beam.best_way();
        let seen: Vec<usize> = (0..way.len()).filter(|i| way[*i].candidate.is_some()).collect();
        assert_eq!(seen, (11..19).collect::<Vec<usize>>(), "however long it is away afterwards");
    }

    #[test]
    fn what_stood_may_look_less_like_itself_where_it_was() {
        let back = |step: f64, off: f64| {
            let mut beam =
                Beam::new(INSIDE, 25.0, Point::new(100.0, 100.0), Some(Point::new(step, 0.0)), Settings::default());
            let x = |n: u32| 100.0 + step * f64::from(n);
            (1..=20).for_each(|n| beam.advance(&[candidate(x(n), 1.0)], &EVEN));
            (0..40).for_each(|_| beam.advance(&[], &EVEN));
            let hardly = Candidate { strange: 0.3, ..candidate(x(20) + off, 0.8) };
            (0..40).for_each(|_| beam.advance(&[hardly], &EVEN));
            beam.best_way()[60..].iter().filter(|state| state.candidate.is_some()).count()
        };
        assert_eq!(back(0.1, 3.0), 40);
        assert_eq!(back(0.1, 40.0), 0, "elsewhere it has to look like it");
        assert_eq!(back(4.0, 3.0), 0, "and who walked may be anywhere");
    }

    #[test]
    fn what_has_stood_is_not_elsewhere_as_soon_as_it_is_covered() {
        let taken = |step: f64, likeness: f64, stood: u32| {
            let (from, velocity) = (Point::new(100.0, 100.0), Some(Point::new(step, 0.0)));
            let mut beam = Beam::new(INSIDE, 25.0, from, velocity, Settings::default());
            let x = |n: u32| from.x + step * f64::from(n);
            (1..=stood).for_each(|n| beam.advance(&[candidate(x(n), 1.0)], &EVEN));
            // What passes before it has a part that looks like it, and takes the part along.
            let passes =
                |n: u32| Candidate { strange: 0.1, ..candidate(x(stood) + 30.0 + 2.0 * f64::from(n), likeness) };
            (0..4).for_each(|_| beam.advance(&[], &EVEN));
            (0..30).for_each(|n| beam.advance(&[passes(n)], &EVEN));
            beam.best_way().last().is_some_and(|state| state.candidate.is_some())
        };
        assert!(!taken(0.0, 0.75, 40));
        assert!(taken(0.0, 0.95, 40), "nothing speaks against it");
        assert!(taken(2.0, 0.75, 40), "who walks is further on after a moment");
        assert!(taken(0.0, 0.75, 10), "nobody knows that it stands");
    }

    #[test]
    fn who_comes_back_after_long_has_to_look_like_it() {
        let back = |gap: usize, likeness: f64, is_background: bool| {
            let mut beam = beam(Settings::default());
            beam.is_background = is_background;
            (0..gap).for_each(|_| beam.advance(&[], &EVEN));
            (0..20).for_each(|_| beam.advance(&[candidate(150.0, likeness)], &EVEN));
            beam.best_way().last().is_some_and(|state| state.candidate.is_some())
        };
        assert!(back(6, 0.7, false), "after a short gap it is where it was expected");
        assert!(!back(40, 0.7, false), "however long the look-alike stays");
        assert!(back(40, 1.0, false));
        assert!(back(40, 0.7, true), "a part of the scene cannot be elsewhere");
    }

    #[test]
    fn who_comes_back_after_long_may_walk_the_other_way() {
        let mut beam = beam(Settings::default());
        (0..6).for_each(|n| beam.advance(&[candidate(104.0 + 4.0 * f64::from(n), 1.0)], &EVEN));
        (0..30).for_each(|_| beam.advance(&[], &EVEN));
        (0..8).for_each(|n| beam.advance(&[candidate(160.0 - 9.0 * f64::from(n), 0.95)], &EVEN));
        let way = beam.best_way();
        let back = way[36..].iter().filter(|state| state.candidate.is_some()).count();
        assert_eq!(back, 8, "seen on each frame since it is back");
        assert!(beam.way_cost(&way[43], Point::new(160.0 - 72.0, 100.0), &EVEN) < 0.1, "and its new velocity is known");
    }

    #[test]
    fn a_size_that_was_tried_on_one_way_is_not_that_of_another() {
        let mut beam = beam(Settings::default());
        beam.advance(&[candidate(104.0, 1.0)], &EVEN);
        beam.advance(&[Candidate { scale: 0.8, ..candidate(150.0, 0.4) }], &EVEN);
        let hidden = beam.states().iter().find(|state| state.candidate.is_none()).expect("it may be hidden");
        let seen = beam.states().iter().find(|state| state.candidate.is_some()).expect("or be there");
        assert_eq!((hidden.scale, seen.scale), (1.0, 0.8));
    }

    #[test]
    fn the_camera_carries_all_along() {
        let pan = CameraMove { shift: Point::new(-30.0, 0.0), ..CameraMove::NONE };
        let beam = beam(Settings::default());
        let state = beam.states()[0];
        let passage = FrameStep { camera: pan, ..EVEN };
        assert!(beam.way_cost(&state, Point::new(74.0, 100.0), &passage) < 1e-9);
    }

    /// The least cost over all ways through the candidates, hidden states included: one after the other, without a
    /// beam.
    fn brute_force(beam: &Beam, state: &State, frames: &[Vec<Candidate>]) -> f64 {
        let Some((candidates, rest)) = frames.split_first() else { return state.cost };
        let seen = candidates.iter().enumerate().map(|(i, candidate)| beam.seen(state, 0, candidate, i, &EVEN));
        let all = seen.chain(std::iter::once(beam.hidden(state, 0, &EVEN)));
        all.map(|next| brute_force(beam, &next, rest)).fold(f64::INFINITY, f64::min)
    }

    proptest! {
        #[test]
        fn the_beam_finds_a_way_about_as_cheap_as_any_on_short_shots(
            frames in prop::collection::vec(prop::collection::vec((90.0..150.0f64, 0.3..1.0f64), 0..3), 1..6)
        ) {
            let frames: Vec<Vec<Candidate>> = frames
                .iter()
                .map(|all| all.iter().map(|(x, likeness)| candidate(*x, *likeness)).collect())
                .collect();
            let mut beam = beam(Settings { beam: 60, ..Settings::default() });
            let start = beam.states()[0];
            let least = brute_force(&beam, &start, &frames);
            frames.iter().for_each(|candidates| beam.advance(candidates, &EVEN));
            let found = beam.states()[0].cost;
            // Of ways that meet at a place two are kept: that may cost a little, never as much as a frame on which it
            // is called hidden.
            prop_assert!(found >= least - 1e-9 && found < least + HIDDEN + GO_HIDDEN, "found {found}, least {least}");
        }
    }
}
