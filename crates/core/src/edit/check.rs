//! What comes in with a change beside the document: samples, and how many changes are made at once.

use super::kinds::{Edit, EditError};
use crate::document::{FARTHEST, check_frame, within};
use crate::track::Sample;

/// Changes that are made as one.
const CHANGES: usize = 20_000;

/// Checks the samples of a change, and that there is an end of it.
pub(super) fn samples(edit: &Edit) -> Result<(), EditError> {
    count(edit, 0).and_then(|count| if count <= CHANGES { Ok(()) } else { Err(EditError::TooMany(CHANGES)) })
}

/// How many changes it is made of, after so many.
fn count(edit: &Edit, before: usize) -> Result<usize, EditError> {
    match edit {
        Edit::All { edits } => edits.iter().try_fold(before + 1, |before, edit| count(edit, before)),
        Edit::SetSamples { samples, .. } => {
            for (frame, new) in samples {
                check_frame(*frame)?;
                new.as_ref().map_or(Ok(()), sample)?;
            }
            Ok(before + 1)
        }
        _ => Ok(before + 1),
    }
}

/// Variances are kept in single precision: larger ones would become infinite there.
fn sample(sample: &Sample) -> Result<(), EditError> {
    let covariance = sample.covariance;
    let numbers = || {
        within(FARTHEST, [sample.at.x, sample.at.y])?;
        within(1.0 + 1e-6, [sample.matched])?;
        within(FARTHEST * FARTHEST, [covariance.xx, covariance.xy, covariance.yy])?;
        within(FARTHEST, sample.peak_ratio.into_iter().chain(sample.back_error))?;
        let shape = sample.shape.map(|shape| [shape.xx, shape.xy, shape.yx, shape.yy, shape.px, shape.py]);
        within(FARTHEST, shape.into_iter().flatten())
    };
    let is_good = numbers().is_ok() && covariance.xx >= 0.0 && covariance.yy >= 0.0;
    if is_good { Ok(()) } else { Err(EditError::Sample) }
}

#[cfg(test)]
mod tests {
    use uuid::Uuid;

    use super::*;
    use crate::attachment::{Attachment, Label};
    use crate::document::{Shot, Subject};
    use crate::geometry::Point;
    use crate::motion::CarriedPoint;
    use crate::path::Recipe;
    use crate::pin::Pin;
    use crate::time::{Frame, FrameRange};
    use crate::track::{Covariance, SampleState};

    fn id(n: u128) -> Uuid {
        Uuid::from_u128(n)
    }

    fn spot(n: u128) -> Pin {
        Pin::new(id(n), Frame(3), Point::new(10.0, 20.0), [31, 31], [40, 40])
    }

    fn put(pin: Pin) -> Edit {
        Edit::PutPin { subject: id(1), pin, index: None }
    }

    fn set(sample: Sample) -> Edit {
        Edit::SetSamples { pin: id(2), samples: vec![(Frame(4), Some(sample))] }
    }

    fn add(subject: Subject) -> Edit {
        Edit::AddSubject { index: 0, subject }
    }

    fn shot() -> Shot {
        let subject = Subject { pins: vec![spot(2)], ..Subject::new(id(1), "Crane", 'A', 0) };
        Shot { subjects: vec![subject], ..Shot::default() }
    }

    /// Each of these was once accepted, and made trouble later.
    #[test]
    fn what_makes_no_sense_is_refused_wherever_it_stands() {
        let good = Sample { state: SampleState::Found, ..Sample::guide(Point::new(1.0, 2.0)) };
        let far = Point::new(1e10, 0.0);
        let other = || Subject::new(id(9), "Tank", 'B', 1);
        let hidden =
            |first, last| put(Pin { hidden: vec![FrameRange { first: Frame(first), last: Frame(last) }], ..spot(2) });
        let label =
            |look: &str| Attachment { look: Some(look.into()), ..Attachment::label(id(7), Label::named("Tank")) };
        let refused = [
            set(Sample { at: far, ..good }),
            set(Sample { covariance: Covariance { xx: 1e300, ..Covariance::UNKNOWN }, ..good }),
            set(Sample { covariance: Covariance { xx: -1.0, ..Covariance::UNKNOWN }, ..good }),
            set(Sample { matched: f64::NAN, ..good }),
            set(Sample { back_error: Some(f64::INFINITY), ..good }),
            Edit::SetSamples { pin: id(2), samples: vec![(Frame(u32::MAX), Some(good))] },
            put(Pin { at: far, ..spot(2) }),
            put(Pin { pattern: [3, 3], ..spot(2) }),
            put(Pin { search: [0, 9], ..spot(2) }),
            put(Pin { stop_below: Some(f64::NAN), ..spot(2) }),
            hidden(0, 4_000_000_000),
            hidden(9, 3),
            Edit::Rename { subject: id(1), name: "Sig\u{0}nal".into() },
            add(Subject { name: "\u{0}".into(), ..other() }),
            add(Subject { letter: '\u{0}', ..other() }),
            add(Subject { pins: vec![Pin { at: far, ..spot(8) }], ..other() }),
            add(Subject { pins: vec![spot(8), spot(8)], ..other() }),
            add(Subject { pins: vec![spot(2)], ..other() }),
            add(Subject { points: vec![CarriedPoint::new(id(5), Frame(0), far)], ..other() }),
            add(Subject {
                points: vec![CarriedPoint { placed: vec![], ..CarriedPoint::new(id(5), Frame(0), far) }],
                ..other()
            }),
            add(Subject { attachments: vec![label("\u{0}")], ..other() }),
            add(Subject { pins: (0..2001).map(|n| spot(1000 + n)).collect(), ..other() }),
            Edit::SetNoCuts { frames: vec![Frame(10_000_000)] },
            Edit::All { edits: (0..501).map(|n| add(Subject::new(id(500 + n), "Tank", 'B', 1))).collect() },
            Edit::All { edits: vec![Edit::All { edits: vec![Edit::RemoveSubject { subject: id(1) }; 20_001] }] },
        ];
        for edit in refused {
            let mut changed = shot();
            assert!(edit.apply(&mut changed).is_err(), "{edit:?} was not refused");
            assert_eq!(changed, shot(), "{edit:?} left a trace");
        }
        let mut changed = shot();
        for edit in [
            set(good),
            hidden(3, 9),
            put(spot(2)),
            put(spot(8)),
            add(Subject { attachments: vec![label("names")], ..other() }),
        ] {
            edit.apply(&mut changed).unwrap();
        }
    }

    #[test]
    fn what_was_taken_in_before_can_still_be_undone() {
        // As an older version left it: its recipe would be refused today.
        let mut old = shot();
        let step = crate::path::Step::new(crate::path::StepKind::Curve { tolerance: -1.0 });
        let bad = Recipe { steps: vec![step], hand_keys: Vec::new() };
        old.subjects[0].cleaning = Some(bad.clone());
        old.subjects[0].name = String::new();
        let mut now = old.clone();
        let take = |cleaning| Edit::SetCleaning { subject: id(1), cleaning };
        let both = Edit::All { edits: vec![take(None), Edit::Rename { subject: id(1), name: "Crane".into() }] };
        let inverse = both.apply(&mut now).unwrap();
        inverse.again(&mut now).unwrap();
        assert_eq!(now, old);
        // One that fails takes the others back, whatever they replaced.
        let failing = Edit::All { edits: vec![take(None), Edit::RemoveSubject { subject: id(77) }] };
        assert_eq!(failing.apply(&mut now), Err(EditError::not_there("subject")));
        assert_eq!(now, old);
        assert!(take(Some(bad)).apply(&mut shot()).is_err());
    }

    #[test]
    fn what_was_wrong_before_does_not_stop_a_change_of_something_else() {
        let mut old = shot();
        old.subjects[0].name = String::new();
        put(spot(2)).apply(&mut old).unwrap();
        set(Sample::guide(Point::new(1.0, 2.0))).apply(&mut old).unwrap();
        // It may not become worse, nor wrong in another place in the same way.
        assert!(put(Pin { pattern: [3, 3], ..spot(8) }).apply(&mut old).is_err());
        assert!(add(Subject::new(id(9), "", 'B', 1)).apply(&mut old).is_err());
        Edit::Rename { subject: id(1), name: "Crane".into() }.apply(&mut old).unwrap();
        assert_eq!(old.validate(), Ok(()));
    }
}
