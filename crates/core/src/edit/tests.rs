use uuid::Uuid;

use super::*;
use crate::attachment::Attachment;
use crate::attachment::Label;
use crate::document::{HandOver, Shot, Subject};
use crate::geometry::Point;
use crate::motion::CarriedPoint;
use crate::path::Recipe;
use crate::path::{Step, StepKind};
use crate::pin::Pin;
use crate::time::Frame;
use crate::track::{MotionModel, Sample};

fn id(n: u128) -> Uuid {
    Uuid::from_u128(n)
}

fn pin(n: u128) -> Pin {
    Pin::new(id(n), Frame(3), Point::new(10.0, 20.0), [31, 31], [40, 40])
}

fn carried(n: u128) -> CarriedPoint {
    CarriedPoint::new(id(n), Frame(2), Point::new(-5.0, 3.0))
}

fn subject(n: u128) -> Subject {
    let label = Attachment::label(id(n + 1), Label::named("Railcar"));
    Subject { pins: vec![pin(n + 2)], attachments: vec![label], ..Subject::new(id(n), "Railcar", 'A', 0) }
}

fn samples(frames: std::ops::Range<u32>) -> Vec<(Frame, Option<Sample>)> {
    frames.map(|n| (Frame(n), Some(Sample::guide(Point::new(f64::from(n), 5.0))))).collect()
}

/// A shot with one subject that has samples.
fn shot() -> Shot {
    let mut shot = Shot::default();
    Edit::AddSubject { index: 0, subject: subject(10) }.apply(&mut shot).unwrap();
    Edit::SetSamples { pin: id(12), samples: samples(0..9) }.apply(&mut shot).unwrap();
    shot
}

#[test]
fn every_edit_is_undone_by_its_inverse_and_redone_by_the_inverse_of_that() {
    let edits = [
        Edit::AddSubject { index: 0, subject: subject(20) },
        Edit::RemoveSubject { subject: id(10) },
        Edit::SetNoCuts { frames: vec![Frame(9), Frame(4), Frame(9)] },
        Edit::Rename { subject: id(10), name: "Crane".into() },
        Edit::PutPin { subject: id(10), pin: pin(40), index: None },
        Edit::PutPin { subject: id(10), pin: pin(40), index: Some(0) },
        Edit::PutPin { subject: id(10), pin: Pin { pattern: [15, 21], ..pin(12) }, index: None },
        Edit::SetCleaning { subject: id(10), cleaning: Some(Recipe::default()) },
        Edit::SetMotion { subject: id(10), motion: Some(MotionModel::Rotation) },
        Edit::PutPoint { subject: id(10), point: carried(7), index: None },
        Edit::All {
            edits: vec![
                Edit::PutPoint { subject: id(10), point: carried(7), index: None },
                Edit::PutPoint { subject: id(10), point: carried(8), index: None },
                Edit::RemovePoint { subject: id(10), point: id(7) },
            ],
        },
        Edit::SetHandOvers { subject: id(10), hand_overs: vec![HandOver { from: Frame(4), pin: id(12) }] },
        Edit::All {
            edits: vec![
                Edit::SetHandOvers { subject: id(10), hand_overs: vec![HandOver { from: Frame(4), pin: id(12) }] },
                Edit::RemovePin { pin: id(12) },
            ],
        },
        Edit::RemovePin { pin: id(12) },
        Edit::PutAttachment {
            subject: id(10),
            attachment: Attachment::label(id(11), Label::named("Other")),
            index: None,
        },
        Edit::RemoveAttachment { subject: id(10), attachment: id(11) },
        Edit::SetSamples { pin: id(12), samples: vec![(Frame(2), None), (Frame(2), samples(4..5)[0].1)] },
        Edit::All {
            edits: vec![
                Edit::Rename { subject: id(10), name: "Tank".into() },
                Edit::SetSamples { pin: id(12), samples: samples(5..30) },
            ],
        },
    ];
    for edit in edits {
        let mut changed = shot();
        let inverse = edit.apply(&mut changed).unwrap();
        assert_ne!(changed, shot(), "{edit:?} changed nothing");
        let after = changed.clone();
        let again = inverse.apply(&mut changed).unwrap();
        assert_eq!(changed, shot(), "{edit:?} was not undone");
        again.apply(&mut changed).unwrap();
        assert_eq!(changed, after, "{edit:?} was not redone");
    }
}

#[test]
fn a_refused_edit_leaves_the_shot_as_it_was() {
    let refused = [
        Edit::Rename { subject: id(10), name: String::new() },
        Edit::Rename { subject: id(99), name: "x".into() },
        Edit::AddSubject { index: 0, subject: subject(10) },
        Edit::PutPin { subject: id(10), pin: Pin { at: Point::new(f64::NAN, 0.0), ..pin(40) }, index: None },
        Edit::SetHandOvers { subject: id(10), hand_overs: vec![HandOver { from: Frame(4), pin: id(77) }] },
        Edit::RemovePoint { subject: id(10), point: id(7) },
        Edit::SetCleaning {
            subject: id(10),
            cleaning: Some(Recipe {
                steps: vec![Step::new(StepKind::Curve { tolerance: -1.0 })],
                hand_keys: Vec::new(),
            }),
        },
        Edit::SetSamples { pin: id(77), samples: samples(0..2) },
        Edit::All {
            edits: vec![
                Edit::Rename { subject: id(10), name: "Tank".into() },
                Edit::RemoveSubject { subject: id(10) },
                Edit::RemovePin { pin: id(12) },
            ],
        },
    ];
    for edit in refused {
        let mut changed = shot();
        assert!(edit.apply(&mut changed).is_err(), "{edit:?} was not refused");
        assert_eq!(changed, shot(), "{edit:?} left a trace");
    }
}

#[test]
fn edits_survive_being_written_down() {
    let edit = Edit::All {
        edits: vec![
            Edit::AddSubject { index: 1, subject: subject(5) },
            Edit::SetSamples { pin: id(7), samples: vec![(Frame(1), None), samples(2..3)[0]] },
        ],
    };
    let text = serde_json::to_string(&edit).unwrap();
    assert_eq!(serde_json::from_str::<Edit>(&text).unwrap(), edit);
}
