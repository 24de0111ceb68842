//! Thousands of random changes, undone and made again, through JSON and PostgreSQL: after each the stored shot is what
//! a plain list of shots says.
//!
//! `JAMPIN_DRILL` multiplies the number of steps.

use jampin_core::attachment::{Attachment, AttachmentKind};
use jampin_core::attachment::{Boundary, Corner, Label};
use jampin_core::document::{Area, DrawnOutline, HandOver, Shot, Subject};
use jampin_core::edit::Edit;
use jampin_core::geometry::{LocalWarp, Point};
use jampin_core::motion::CarriedPoint;
use jampin_core::path::{HandKey, Recipe, Step, StepKind};
use jampin_core::pin::Pin;
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{Covariance, MotionModel, Sample, SampleState};
use jampin_store::{Store, StoreError};
use jampin_testkit::{Dice, inputs};
use serde_json::json;
use uuid::Uuid;

use super::with_shot;

/// Steps of each of the walks.
const STEPS: u64 = 300;

/// What a person may do, by chance.
struct Hand(Dice);

impl Hand {
    fn next(&mut self) -> u64 {
        self.0.any()
    }

    fn below(&mut self, end: u64) -> u64 {
        self.0.below(end)
    }

    fn one_in(&mut self, many: u64) -> bool {
        self.0.one_in(many)
    }

    fn frame(&mut self) -> Frame {
        Frame(self.below(100) as u32)
    }

    /// A number that single precision keeps as it is.
    fn number(&mut self) -> f64 {
        self.below(100_000) as f64 / 64.0
    }

    fn point(&mut self) -> Point {
        Point::new(self.number() + 0.1, self.number())
    }

    /// One of these, or now and then something that is not there.
    fn one_of(&mut self, ids: &[Uuid]) -> Uuid {
        if ids.is_empty() || self.one_in(20) {
            Uuid::from_u128(999_999)
        } else {
            ids[self.below(ids.len() as u64) as usize]
        }
    }

    /// One of these, or a new one.
    fn one_of_or_new(&mut self, ids: &[Uuid]) -> Uuid {
        if self.one_in(2) { self.one_of(ids) } else { Uuid::from_u128(u128::from(self.next())) }
    }

    fn range(&mut self) -> FrameRange {
        let first = self.below(90) as u32;
        FrameRange { first: Frame(first), last: Frame(first + self.below(10) as u32) }
    }
}

fn pin(dice: &mut Hand, id: Uuid) -> Pin {
    let hidden = (0..dice.below(3)).map(|_| dice.range()).collect();
    // Now and then one that is refused.
    let side = if dice.one_in(30) { 2 } else { 31 };
    Pin { hidden, ..Pin::new(id, dice.frame(), dice.point(), [side, 31], [40, 40]) }
}

fn attachment(dice: &mut Hand, id: Uuid) -> Attachment {
    let name = format!("Guard {}", dice.below(100));
    if dice.one_in(2) {
        return Attachment::label(id, Label::named(&name));
    }
    if dice.one_in(3) {
        let corners = vec![Corner::Point(Uuid::from_u128(5)), Corner::Pin(Uuid::from_u128(6))];
        return Attachment::new(id, AttachmentKind::Boundary(Box::new(Boundary::through(corners, dice.one_in(2)))));
    }
    let (x, size) = (dice.number(), 1.0 + dice.number());
    let others = [
        json!({ "id": id, "kind": "cover", "outline": "ellipse", "place": { "x": x, "y": 0.1 }, "size": [size, 30.0], "effect": { "blur": 5.0 } }),
        json!({ "id": id, "kind": "flare", "colour": "#ffd9a0", "size": 70.0, "rays": dice.below(30), "streak": 0.0, "ring": 0.0, "ghosts": 0 }),
    ];
    serde_json::from_value(others[dice.below(2) as usize].clone()).unwrap()
}

fn sample(dice: &mut Hand) -> Sample {
    let states = [SampleState::Guide, SampleState::Found, SampleState::Hidden, SampleState::Bridged];
    let sd = dice.below(64) as f64 / 16.0;
    let some = |dice: &mut Hand| (!dice.one_in(3)).then(|| dice.number());
    Sample {
        matched: dice.below(257) as f64 / 256.0,
        state: states[dice.below(4) as usize],
        covariance: Covariance { xx: sd * sd, xy: 0.0, yy: sd * sd },
        peak_ratio: some(dice),
        back_error: some(dice),
        shape: (!dice.one_in(3)).then(|| LocalWarp {
            xx: 1.0,
            xy: dice.number() / 3.0,
            yx: 0.0,
            yy: 1.0,
            px: 1e-5,
            py: 0.0,
        }),
        solved: dice.one_in(2),
        ..Sample::guide(dice.point())
    }
}

fn cleaning(dice: &mut Hand) -> Recipe {
    let kinds = [
        StepKind::Smooth { strength: 1.0 },
        StepKind::Outliers { window: 7, sigmas: 3.0, least: dice.number() / 1000.0 },
    ];
    let step =
        |dice: &mut Hand| Step { kind: kinds[dice.below(2) as usize], on: dice.one_in(2), range: Some(dice.range()) };
    let steps = (0..dice.below(4)).map(|_| step(dice)).collect();
    Recipe { steps, hand_keys: vec![HandKey { frame: dice.frame(), key: None }] }
}

fn subject(dice: &mut Hand) -> Subject {
    let ids: Vec<Uuid> = (0..3).map(|_| Uuid::from_u128(u128::from(dice.next()))).collect();
    Subject {
        pins: vec![pin(dice, ids[1])],
        attachments: vec![attachment(dice, ids[2])],
        cleaning: dice.one_in(2).then(|| cleaning(dice)),
        ..Subject::new(ids[0], format!("Crane {}", dice.below(1000)), 'A', dice.below(7) as usize)
    }
}

fn change(dice: &mut Hand, shot: &Shot, depth: u32) -> Edit {
    let subjects: Vec<Uuid> = shot.subjects.iter().map(|subject| subject.id).collect();
    let subject_id = dice.one_of(&subjects);
    let known = shot.subject(subject_id);
    let ids = |of: fn(&Subject) -> Vec<Uuid>| known.map(of).unwrap_or_default();
    let pins = ids(|subject| subject.pins.iter().map(|pin| pin.id).collect());
    let points = ids(|subject| subject.points.iter().map(|point| point.id).collect());
    let attachments = ids(|subject| subject.attachments.iter().map(|one| one.id).collect());
    match dice.below(16) {
        0 | 1 => Edit::AddSubject { index: dice.below(3) as usize, subject: subject(dice) },
        2 if subjects.len() > 3 => Edit::RemoveSubject { subject: subject_id },
        3 => Edit::Rename { subject: subject_id, name: format!("Wagon \u{1f682} {}", dice.below(1000)) },
        4 => {
            let id = dice.one_of_or_new(&pins);
            Edit::PutPin { subject: subject_id, pin: pin(dice, id), index: dice.one_in(2).then_some(0) }
        }
        5 => Edit::RemovePin { pin: dice.one_of(&pins) },
        6 => {
            let id = dice.one_of_or_new(&attachments);
            Edit::PutAttachment {
                subject: subject_id,
                attachment: attachment(dice, id),
                index: dice.one_in(2).then_some(0),
            }
        }
        7 => Edit::RemoveAttachment { subject: subject_id, attachment: dice.one_of(&attachments) },
        8 => Edit::SetCleaning { subject: subject_id, cleaning: dice.one_in(2).then(|| cleaning(dice)) },
        9 => {
            let motions = [None, Some(MotionModel::Affine), Some(MotionModel::Position)];
            Edit::SetMotion { subject: subject_id, motion: motions[dice.below(3) as usize] }
        }
        10 => {
            let point = CarriedPoint::new(dice.one_of_or_new(&points), dice.frame(), dice.point());
            Edit::PutPoint { subject: subject_id, point, index: None }
        }
        11 => Edit::RemovePoint { subject: subject_id, point: dice.one_of(&points) },
        12 if dice.one_in(2) => {
            let over = HandOver { from: dice.frame(), pin: dice.one_of(&pins) };
            Edit::SetHandOvers { subject: subject_id, hand_overs: vec![over] }
        }
        12 => Edit::SetNoCuts { frames: vec![dice.frame()] },
        14 => area_change(dice, subject_id, &ids(|subject| subject.areas.iter().map(|area| area.id).collect())),
        15 => Edit::SetKeepOut { subject: subject_id, keep_out: dice.one_in(2) },
        13 if depth == 0 => {
            let edits = (0..dice.below(4)).map(|_| change(dice, shot, 1)).collect();
            Edit::All { edits }
        }
        _ => {
            let pin = dice.one_of(&pins);
            let samples =
                (0..dice.below(30)).map(|_| (dice.frame(), (!dice.one_in(5)).then(|| sample(dice)))).collect();
            Edit::SetSamples { pin, samples }
        }
    }
}

/// An area with its pins put or taken, or only half of that, which is refused.
fn area_change(dice: &mut Hand, subject: Uuid, known: &[Uuid]) -> Edit {
    if !known.is_empty() && dice.one_in(3) {
        return Edit::RemoveArea { subject, area: dice.one_of(known) };
    }
    let carriers = [0; 5].map(|_| Uuid::from_u128(u128::from(dice.next())));
    let (at, side) = (dice.point(), 30.0);
    let corners = [(0.0, 0.0), (side, 0.0), (side, side)].map(|(x, y)| at + Point::new(x, y));
    let area = Area::new(dice.one_of_or_new(known), dice.frame(), DrawnOutline::straight(corners.into()), carriers);
    let mut edits: Vec<Edit> =
        carriers.iter().map(|id| Edit::PutPin { subject, pin: pin(dice, *id), index: None }).collect();
    edits.truncate(if dice.one_in(4) { 3 } else { 5 });
    edits.push(Edit::PutArea { subject, area, index: None });
    Edit::All { edits }
}

/// What the shot should be: every state that it has been in.
struct Model {
    states: Vec<Shot>,
    now: usize,
}

impl Model {
    fn shot(&self) -> &Shot {
        &self.states[self.now]
    }

    fn made(&mut self, shot: Shot) {
        self.states.truncate(self.now + 1);
        self.states.push(shot);
        self.now += 1;
    }
}

#[derive(Default)]
struct Counts {
    made: u32,
    refused: u32,
    undone: u32,
    redone: u32,
}

async fn step(dice: &mut Hand, store: &Store, shot: Uuid, revision: &mut i64, model: &mut Model, counts: &mut Counts) {
    match dice.below(10) {
        0..2 => match store.undo(shot, *revision).await {
            Ok(edited) => {
                *revision = edited.revision;
                model.now -= 1;
                counts.undone += 1;
            }
            Err(StoreError::NothingTo(_)) => assert_eq!(model.now, 0),
            Err(error) => panic!("undo failed: {error}"),
        },
        2 | 3 => match store.redo(shot, *revision).await {
            Ok(edited) => {
                *revision = edited.revision;
                model.now += 1;
                counts.redone += 1;
            }
            Err(StoreError::NothingTo(_)) => assert_eq!(model.now + 1, model.states.len()),
            Err(error) => panic!("redo failed: {error}"),
        },
        _ => {
            let edit = change(dice, model.shot(), 0);
            let sent: Edit = serde_json::from_value(serde_json::to_value(&edit).unwrap()).unwrap();
            let mut wanted = model.shot().clone();
            match (edit.apply(&mut wanted), store.edit(shot, *revision, "Change", &sent).await) {
                (Ok(_), Ok(edited)) => {
                    *revision = edited.revision;
                    model.made(wanted);
                    counts.made += 1;
                }
                (Err(one), Err(StoreError::Edit(other))) => {
                    assert_eq!(one.to_string(), other.to_string());
                    counts.refused += 1;
                }
                (model, stored) => panic!("{model:?} but {stored:?} for {edit:?}"),
            }
        }
    }
}

fn walk(seed: u64) {
    let steps = inputs(STEPS);
    with_shot(async |store, _, shot| {
        let mut dice = Hand(Dice(seed));
        let mut model = Model { states: vec![Shot::default()], now: 0 };
        let (mut revision, mut counts) = (0, Counts::default());
        for n in 0..steps {
            step(&mut dice, &store, shot, &mut revision, &mut model, &mut counts).await;
            let stored = store.shot(shot).await.unwrap();
            assert_eq!(stored.info.revision, revision);
            let track_count = |shot: &Shot| shot.tracks.values().filter(|track| !track.is_empty()).count();
            assert_eq!(track_count(&stored.shot), track_count(model.shot()), "step {n} of {seed}");
            assert_eq!(stored.shot.subjects, model.shot().subjects, "step {n} of {seed}");
            assert_eq!(stored.shot.no_cuts, model.shot().no_cuts);
            for (pin, track) in &stored.shot.tracks {
                assert_eq!(**track, *model.shot().track(*pin), "step {n} of {seed}");
            }
        }
        let Counts { made, refused, undone, redone } = counts;
        let few = steps as u32 / 30;
        assert!([made, undone, redone, refused].iter().all(|count| *count > few), "{made} {undone} {redone} {refused}");
    });
}

#[test]
fn the_stored_shot_is_the_model_after_every_step_one() {
    walk(4);
}

#[test]
fn the_stored_shot_is_the_model_after_every_step_two() {
    walk(2);
}

#[test]
fn the_stored_shot_is_the_model_after_every_step_three() {
    walk(3);
}

#[test]
fn the_stored_shot_is_the_model_after_every_step_four() {
    walk(4);
}
