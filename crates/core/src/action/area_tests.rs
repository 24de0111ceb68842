//! Areas drawn, put by hand, changed and taken away.

use super::*;
use crate::document::{Area, DrawnOutline, Fineness, KeepOut, OutlineOnFrame};
use crate::evaluate::area_task;
use crate::geometry::{Homography, Rect};
use crate::track::{Sample, SampleState};

const SIZE: Size = Size { width: 640, height: 360 };
const WHOLE: FrameRange = FrameRange { first: Frame(0), last: Frame(99) };
/// The middle of the area, then its corners.
const PLACES: [(f64, f64); 5] = [(200.0, 150.0), (100.0, 100.0), (300.0, 100.0), (300.0, 200.0), (100.0, 200.0)];

fn id(n: u128) -> Uuid {
    Uuid::from_u128(n)
}

fn ground(shot: &Shot) -> Ground<'_> {
    Ground { shot, range: WHOLE, size: SIZE }
}

fn square(left: f64, top: f64, side: f64) -> DrawnOutline {
    let corners = [(left, top), (left + side, top), (left + side, top + side), (left, top + side)];
    DrawnOutline::straight(corners.map(|(x, y)| Point::new(x, y)).into())
}

fn gable() -> Area {
    let corners = [(100.0, 100.0), (300.0, 100.0), (300.0, 200.0), (100.0, 200.0)].map(|(x, y)| Point::new(x, y));
    Area::new(id(9), Frame(10), DrawnOutline::straight(corners.into()), [id(10), id(11), id(12), id(13), id(14)])
}

/// A gable that goes to the right by a pixel a frame, found on the frames 0 to 49.
fn shot() -> Shot {
    let mut shot = Shot::default();
    let planned = new_area_subject(ground(&shot), [id(1), id(2)], Some("Gable"), &gable()).expect("it can be made");
    assert_eq!((planned.title.as_str(), planned.solve), ("New subject A", None));
    planned.edit.apply(&mut shot).expect("it fits");
    for (carrier, (x, y)) in gable().carriers.into_iter().zip(PLACES) {
        for n in (0..50u32).filter(|n| *n != 10) {
            let at = Point::new(x + f64::from(n) - 10.0, y);
            let found = Sample { solved: true, state: SampleState::Found, ..Sample::guide(at) };
            shot.track_mut(carrier).set(Frame(n), Some(found));
        }
    }
    shot
}

fn change(shot: &mut Shot, change: AreaChange) -> Planned {
    let planned = change_area(ground(shot), id(9), change).expect("it can be changed");
    planned.edit.apply(shot).expect("it fits");
    planned
}

#[test]
fn an_area_is_carried_by_five_pins_that_belong_to_it() {
    let mut shot = shot();
    let subject = shot.subject(id(1)).expect("there");
    assert_eq!((subject.pins.len(), subject.areas.len(), subject.attachments.len()), (5, 1, 1));
    assert_eq!(subject.pins[0].figure, Some(Rect::centred(Point::default(), 200.0, 100.0)), "a label keeps off");
    assert_eq!(subject.followed_with(id(12)), gable().carriers);
    let take = Edit::RemovePin { pin: id(12) };
    assert!(take.apply(&mut shot).unwrap_err().to_string().contains("remove the area"));
    let outside = Area::new(id(30), Frame(3), square(700.0, 10.0, 50.0), [20, 21, 22, 23, 24].map(id));
    assert_eq!(another_area(ground(&shot), id(1), &outside), Err(ActionProblem::OutlineOffThePicture));
    let small = Area::new(id(30), Frame(3), square(70.0, 10.0, 5.0), [20, 21, 22, 23, 24].map(id));
    let planned = another_area(ground(&shot), id(1), &small).expect("it is in the picture");
    assert!(planned.edit.apply(&mut shot).unwrap_err().to_string().contains("draw it larger"));
    let whole = shot.clone();
    let undo = change(&mut shot, AreaChange::Remove).edit;
    assert!(matches!(undo, Edit::All { .. }) && shot.subject(id(1)).expect("there").pins.is_empty());
    assert!(change_area(ground(&shot), id(9), AreaChange::Remove).is_err());
    assert_ne!(shot, whole);
}

#[test]
fn put_by_hand_all_of_it_goes_along() {
    let mut shot = shot();
    let put = |shot: &Shot, pin: Uuid, frame: u32, at: Option<(f64, f64)>| {
        set_guide(ground(shot), pin, Frame(frame), at.map(|(x, y)| Point::new(x, y)))
    };
    let at = |shot: &Shot, pin: u128, frame: u32| shot.track(id(pin)).get(Frame(frame)).expect("a sample");
    let planned = put(&shot, id(10), 30, Some((225.0, 152.0))).expect("it can");
    assert_eq!(planned.solve, Some(Resolve { pin: id(10), frame: Frame(30), only: None }));
    planned.edit.apply(&mut shot).expect("it fits");
    assert_eq!((at(&shot, 13, 30).at, at(&shot, 13, 30).state), (Point::new(325.0, 202.0), SampleState::Guide));
    // A corner alone bends it; the middle is where the perspective has it.
    put(&shot, id(12), 40, Some((340.0, 90.0))).expect("it can").edit.apply(&mut shot).expect("it fits");
    assert_eq!(at(&shot, 11, 40).at, Point::new(130.0, 100.0));
    let middle = at(&shot, 10, 40).at;
    // Where the diagonals cross.
    assert!(middle.distance(Point::new(227.674_4, 148.837_2)) < 1e-3, "{middle:?}");
    assert_eq!(put(&shot, id(12), 41, Some((100.0, 300.0))), Err(ActionProblem::NoFace));
    assert_eq!(put(&shot, id(12), 10, Some((320.0, 90.0))), Err(ActionProblem::OutlinedThere(Frame(10))));
    assert_eq!(put(&shot, id(10), 10, None), Err(ActionProblem::FirstGuide(Frame(10))));
    assert_eq!(put(&shot, id(10), 20, None), Err(ActionProblem::NoGuide(Frame(20))));
    let task = task(&shot);
    assert_eq!(task.guides.keys().copied().collect::<Vec<_>>(), [Frame(30), Frame(40)]);
    assert!(task.guides[&Frame(40)].apply(Point::new(300.0, 100.0)).distance(Point::new(340.0, 90.0)) < 1e-9);
    put(&shot, id(13), 30, None).expect("it can").edit.apply(&mut shot).expect("it fits");
    assert!((10..15).all(|pin| shot.track(id(pin)).get(Frame(30)).is_none()));
    // On the frame on which it was drawn the outline moves.
    put(&shot, id(10), 10, Some((210.0, 150.0))).expect("it can").edit.apply(&mut shot).expect("it fits");
    assert_eq!(shot.subject(id(1)).expect("there").areas[0].bounds().left, 110.0);
}

#[test]
fn ranges_are_those_of_all_its_pins() {
    let mut shot = shot();
    let range = |shot: &Shot, action| change_range(ground(shot), id(13), (Frame(20), Frame(25)), action);
    let hidden = range(&shot, RangeAction::Hide).expect("it can");
    assert_eq!(hidden.title, "Gable is hidden on frames 20 to 25");
    assert_eq!(hidden.solve.map(|solve| solve.pin), Some(id(10)));
    hidden.edit.apply(&mut shot).expect("it fits");
    assert!((10..15).all(|pin| shot.track(id(pin)).position(Frame(22)).is_none()));
    assert_eq!(task(&shot).hidden, [FrameRange { first: Frame(20), last: Frame(25) }]);
    let places = vec![(Frame(20), Point::new(400.0, 150.0))];
    range(&shot, RangeAction::ByHand { places }).expect("it can").edit.apply(&mut shot).expect("it fits");
    let corner = shot.track(id(11)).position(Frame(20)).expect("there");
    assert_eq!(corner, Point::new(300.0, 100.0), "as far from the middle as before");
}

fn task(shot: &Shot) -> crate::area::AreaTask {
    let subject = shot.subject(id(1)).expect("there");
    area_task(shot, subject, &subject.areas[0], WHOLE)
}

/// What is not looked at on a frame.
fn kept_out(task: &crate::area::AreaTask, frame: u32) -> Vec<crate::area::Outline> {
    task.keep_outs.iter().filter_map(|keep_out| keep_out.on(Frame(frame))).collect()
}

#[test]
fn outlines_are_moved_and_drawn_anew() {
    let mut shot = shot();
    let place = OutlineOnFrame { frame: Frame(30), outline: square(150.0, 120.0, 60.0) };
    let moved = change(&mut shot, AreaChange::Outline(place.clone()));
    assert_eq!(moved.solve, Some(Resolve { pin: id(10), frame: Frame(10), only: Some(WHOLE) }), "all of it");
    assert_eq!(task(&shot).moved, [(Frame(30), place.outline.polygon())].into());
    change(&mut shot, AreaChange::GoOnAsBefore { frame: Frame(30) });
    assert!(task(&shot).moved.is_empty());
    change(&mut shot, AreaChange::Outline(OutlineOnFrame { frame: Frame(10), ..place }));
    assert_eq!(shot.track(id(11)).position(Frame(10)), Some(Point::new(150.0, 120.0)));
    let beyond = OutlineOnFrame { frame: Frame(100), outline: square(150.0, 120.0, 60.0) };
    let refused = change_area(ground(&shot), id(9), AreaChange::Outline(beyond));
    assert_eq!(refused, Err(ActionProblem::NotInShot(Frame(100))));
}

#[test]
fn what_is_kept_out_stays_or_is_carried() {
    let mut shot = shot();
    let place = OutlineOnFrame { frame: Frame(10), outline: square(150.0, 120.0, 30.0) };
    let polygon = place.outline.polygon();
    change(&mut shot, AreaChange::KeepOut { id: id(50), place: place.clone(), rides_on: None });
    assert_eq!(kept_out(&task(&shot), 70), std::slice::from_ref(&polygon), "on all frames");
    let later = OutlineOnFrame { frame: Frame(30), outline: square(190.0, 120.0, 30.0) };
    change(&mut shot, AreaChange::KeepOut { id: id(50), place: later, rides_on: None });
    let going = task(&shot);
    assert_eq!(kept_out(&going, 20), [square(170.0, 120.0, 30.0).polygon()]);
    assert!(kept_out(&going, 31).is_empty());
    // Its own subject carries a part of the face.
    change(&mut shot, AreaChange::RemoveKeepOut { id: id(50) });
    change(&mut shot, AreaChange::KeepOut { id: id(51), place: place.clone(), rides_on: Some(id(1)) });
    let own = task(&shot);
    assert_eq!((own.left_out, own.keep_outs.len()), (vec![polygon.clone()], 0));
    // Another subject carries it with itself.
    let pin = Pin::new(id(61), Frame(10), Point::new(150.0, 120.0), [31, 31], [40, 40]);
    let walker = new_subject(ground(&shot), [id(60), id(62)], Some("Walker"), &pin).expect("it can");
    walker.edit.apply(&mut shot).expect("it fits");
    shot.track_mut(id(61)).set(Frame(11), Some(Sample::guide(Point::new(157.0, 121.0))));
    change(&mut shot, AreaChange::CarryKeepOut { id: id(51), rides_on: Some(id(60)) });
    let carried = task(&shot);
    let by = Homography::shift(Point::new(7.0, 1.0));
    assert_eq!(kept_out(&carried, 11), [polygon.seen_through(&by)]);
    assert!(kept_out(&carried, 12).is_empty(), "the walker is not there");
    // Or all of it is kept out, wherever it is.
    change(&mut shot, AreaChange::RemoveKeepOut { id: id(51) });
    Edit::SetKeepOut { subject: id(60), keep_out: true }.apply(&mut shot).expect("it fits");
    let whole = task(&shot);
    assert!(kept_out(&whole, 11)[0].contains(Point::new(157.0, 121.0)));
    assert!(kept_out(&whole, 30).is_empty());
    for placed in [Vec::new(), vec![place.clone(), place]] {
        let keep_out = KeepOut { id: id(70), placed, rides_on: None };
        let bad = Area { keep_outs: vec![keep_out], ..gable() };
        assert!(Edit::PutArea { subject: id(1), area: bad, index: None }.apply(&mut shot).is_err());
    }
}

#[test]
fn a_surface_that_bends_has_knots_whose_samples_go_and_come_back_with_its_net() {
    let mut shot = shot();
    // Far from the numbers of its pins: those of its knots follow its own.
    shot.subjects[0].areas[0].id = id(1000);
    let bend = |shot: &mut Shot, bends: Option<Fineness>| {
        let planned = change_area(ground(shot), id(1000), AreaChange::Bend { bends }).expect("it can be made");
        assert!(planned.solve.is_some_and(|solve| solve.pin == id(10)));
        planned.edit.apply(shot).expect("it fits")
    };
    bend(&mut shot, Some(Fineness::Coarse));
    let knots = shot.subjects[0].areas[0].knots();
    assert!(knots.len() > 20 && knots.iter().all(|knot| shot.has_track(*knot)), "{}", knots.len());
    assert_eq!(shot.leading_pin_of(knots[3]), Some(id(10)));
    for knot in &knots {
        let samples = vec![(Frame(4), Some(Sample::guide(Point::new(1.0, 2.0))))];
        Edit::SetSamples { pin: *knot, samples }.apply(&mut shot).expect("a knot has samples");
    }
    let kept = |shot: &Shot| knots.iter().filter(|knot| !shot.track(**knot).is_empty()).count();
    assert_eq!(kept(&shot), knots.len());
    // Another net begins without; undone, all is as it was. So when the area or all of it goes.
    let before = shot.clone();
    let flat = bend(&mut shot, None);
    assert_eq!((kept(&shot), shot.has_track(knots[3])), (0, false));
    flat.apply(&mut shot).expect("it fits");
    assert_eq!(shot, before);
    for gone in [Edit::RemoveArea { subject: id(1), area: id(1000) }, Edit::RemoveSubject { subject: id(1) }] {
        assert!(knots.iter().all(|knot| gone.touched_tracks(&shot).contains(knot)));
        let back = gone.apply(&mut shot).expect("it can go");
        assert_eq!(kept(&shot), 0);
        back.apply(&mut shot).expect("it fits");
        assert_eq!(shot, before);
    }
    let stranger = Edit::SetSamples { pin: id(1000), samples: Vec::new() };
    assert!(stranger.apply(&mut shot).is_err(), "the area itself has none");
}
