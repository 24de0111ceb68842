//! Actions on a shot of one subject, applied and looked at.

use super::*;
use crate::track::{Sample, SampleState};

const SIZE: Size = Size { width: 640, height: 360 };

fn id(n: u128) -> Uuid {
    Uuid::from_u128(n)
}

fn ground(shot: &Shot) -> Ground<'_> {
    Ground { shot, range: FrameRange { first: Frame(0), last: Frame(99) }, size: SIZE }
}

fn pin(n: u128, frame: u32) -> Pin {
    Pin::new(id(n), Frame(frame), Point::new(100.0, 80.0), [31, 31], [40, 40])
}

/// A guard with samples on the frames 0 to 49.
fn guard() -> Shot {
    let mut shot = Shot::default();
    let planned = new_subject(ground(&shot), [id(1), id(2)], Some("  Guard "), &pin(3, 10)).expect("it can be made");
    assert_eq!((planned.title.as_str(), planned.solve), ("New subject A", None));
    planned.edit.apply(&mut shot).expect("it fits");
    let found =
        |n: u32| Sample { solved: true, state: SampleState::Found, ..Sample::guide(Point::new(f64::from(n), 80.0)) };
    (0..50).filter(|n| *n != 10).for_each(|n| {
        shot.track_mut(id(3)).set(Frame(n), Some(found(n)));
    });
    shot
}

#[test]
fn a_new_subject_has_its_name_hanging_on_it() {
    let shot = guard();
    let subject = shot.subject(id(1)).expect("it is there");
    assert_eq!((subject.name.as_str(), subject.attachments.len(), subject.pins.len()), ("Guard", 1, 1));
    assert_eq!(shot.track(id(3)).get(Frame(10)).map(|sample| sample.state), Some(SampleState::Guide));
    let second = new_subject(ground(&shot), [id(4), id(5)], None, &pin(6, 0)).expect("it can be made");
    let Edit::All { edits } = &second.edit else { panic!("{second:?}") };
    assert!(matches!(&edits[0], Edit::AddSubject { index: 1, subject } if subject.name == "Subject B"));
    let beside = Pin { at: Point::new(700.0, 10.0), ..pin(7, 0) };
    assert_eq!(new_subject(ground(&shot), [id(8), id(9)], None, &beside), Err(ActionProblem::OffThePicture));
    assert_eq!(another_pin(ground(&shot), id(1), &pin(7, 100)), Err(ActionProblem::NotInShot(Frame(100))));
    assert_eq!(another_pin(ground(&shot), id(99), &pin(7, 0)), Err(ActionProblem::NotThere("subject")));
}

#[test]
fn a_hand_over_leads_from_its_frame_on_and_replaces_one_there() {
    let mut shot = guard();
    for n in [20, 21] {
        hand_over(ground(&shot), id(1), &pin(n, 30)).expect("it can").edit.apply(&mut shot).expect("it fits");
    }
    let subject = shot.subject(id(1)).expect("it is there");
    let leads: Vec<(u32, Uuid)> = subject.hand_overs.iter().map(|over| (over.from.0, over.pin)).collect();
    assert_eq!((leads, subject.pins.len()), (vec![(30, id(21))], 3));
}

#[test]
fn ranges_are_hidden_shown_and_crossed_with_what_is_solved_after_it() {
    let mut shot = guard();
    let change = |shot: &Shot, frames: (u32, u32), action| {
        change_range(ground(shot), id(3), (Frame(frames.0), Frame(frames.1)), action)
    };
    let hidden = change(&shot, (20, 25), RangeAction::Hide).expect("it can");
    let only = FrameRange { first: Frame(20), last: Frame(25) };
    assert_eq!(hidden.solve, Some(Resolve { pin: id(3), frame: Frame(20), only: Some(only) }));
    assert_eq!(hidden.title, "Guard is hidden on frames 20 to 25");
    let undo = hidden.edit.apply(&mut shot).expect("it fits");
    assert!(shot.pin(id(3)).expect("there").1.is_hidden(Frame(22)));
    assert_eq!(shot.track(id(3)).position(Frame(22)), None);
    let crossed = RangeAction::Bridge { how: crate::path::Bridge::Smooth, other: None };
    let crossed = change(&shot, (20, 25), crossed).expect("it can");
    crossed.edit.apply(&mut shot).expect("it fits");
    assert_eq!(shot.track(id(3)).get(Frame(22)).map(|sample| sample.state), Some(SampleState::Bridged));
    undo.apply(&mut shot).expect("it fits");
    assert!(!shot.pin(id(3)).expect("there").1.is_hidden(Frame(22)));

    assert_eq!(change(&shot, (60, 70), RangeAction::Delete), Err(ActionProblem::NothingToDelete));
    assert_eq!(change(&shot, (30, 20), RangeAction::Solve), Err(ActionProblem::NoRange(Frame(30), Frame(20))));
    let nowhere = RangeAction::ByHand { places: vec![(Frame(5), Point::new(1.0, 1.0))] };
    assert_eq!(change(&shot, (20, 25), nowhere), Err(ActionProblem::NoPlaces));
    let outside = RangeAction::ByHand { places: vec![(Frame(60), Point::new(-20.0, 80.0))] };
    change(&shot, (60, 60), outside).expect("it can").edit.apply(&mut shot).expect("it fits");
    assert_eq!(shot.track(id(3)).get(Frame(60)).map(|sample| sample.state), Some(SampleState::Bridged));
}

#[test]
fn guides_are_put_moved_and_taken_away() {
    let mut shot = guard();
    let place = Some(Point::new(44.0, 82.0));
    let put = set_guide(ground(&shot), id(3), Frame(40), place).expect("it can");
    assert_eq!(put.solve.map(|solve| (solve.frame, solve.only)), Some((Frame(40), None)));
    put.edit.apply(&mut shot).expect("it fits");
    // On the frame on which it was picked the pattern goes along.
    set_guide(ground(&shot), id(3), Frame(10), place).expect("it can").edit.apply(&mut shot).expect("it fits");
    assert_eq!(shot.pin(id(3)).expect("there").1.at, Point::new(44.0, 82.0));
    let take = |shot: &Shot, n: u32| set_guide(ground(shot), id(3), Frame(n), None);
    assert_eq!(take(&shot, 10), Err(ActionProblem::FirstGuide(Frame(10))));
    assert_eq!(take(&shot, 41), Err(ActionProblem::NoGuide(Frame(41))));
    take(&shot, 40).expect("it can").edit.apply(&mut shot).expect("it fits");
    assert_eq!(shot.track(id(3)).get(Frame(40)), None);
    let far = Point::new(2000.0, 0.0);
    assert!(matches!(set_guide(ground(&shot), id(3), Frame(4), Some(far)), Err(ActionProblem::FarAway { .. })));
}
