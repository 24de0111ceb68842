//! Thousands of changed inputs: none makes the core panic, and what is taken in can be evaluated and taken back.
//! `JAMPIN_DRILL` multiplies them.

use jampin_core::document::Shot;
use jampin_core::edit::Edit;
use jampin_core::evaluate::SubjectEvaluation;
use jampin_core::formats::{PinFile, Table};
use jampin_core::geometry::Size;
use jampin_core::scene::Scene;
use jampin_core::time::{Frame, FrameRange};
use jampin_testkit::{Dice, changed_bytes, changed_json, inputs};
use serde_json::{Value, json};

const SIZE: Size = Size::new(640, 360);
const RANGE: FrameRange = FrameRange { first: Frame(0), last: Frame(40) };

fn id(n: u32) -> String {
    format!("00000000-0000-0000-0000-{n:012}")
}

fn pin(n: u32) -> Value {
    let (x, y) = (100.0 + 60.0 * f64::from(n % 2), 80.0 + 50.0 * f64::from(n / 3));
    json!({ "id": id(n), "frame": 0, "at": { "x": x, "y": y }, "pattern": [31, 31], "search": [40, 40], "stop_below": 0.8,
            "hidden": [{ "first": 3, "last": 5 }] })
}

/// Every kind of attachment.
fn attachments() -> Vec<Value> {
    let corners: Vec<Value> = (1..=4).map(|n| json!({ "pin": id(n) })).collect();
    let even = json!({ "first": [0, 0], "second": [1, 1] });
    let outline = [(250.0, 130.0), (420.0, 150.0), (380.0, 260.0)].map(|(x, y)| json!({ "x": x, "y": y }));
    vec![
        json!({ "id": id(20), "kind": "label", "text": "Harrowmoss", "font": "sans", "size": 34.0, "colour": "#ffffff",
                "box": { "fill": "#16202a", "opacity": 0.8, "padding": 10.0, "radius": 6.0 }, "line_width": 3.0,
                "placement": { "offset": { "x": 190.0, "y": 110.0 } }, "show": { "on": true, "opacity": 0.5, "order": 3 } }),
        json!({ "id": id(21), "kind": "boundary", "corners": corners, "closed": true, "width": 6.0, "colour": "#e8c656",
                "style": { "dashed": [12.0, 8.0] }, "drawing": { "on_frames": 4, "off_frames": 3, "easing": even } }),
        json!({ "id": id(22), "kind": "picture", "picture": id(90), "pixels": [40, 20], "lies": { "face": corners }, "place": { "x": 0.0,
            "y": 0.0 }, "size": [0.8, 0.9] }),
        json!({ "id": id(23), "kind": "flare", "colour": "#ffd9a0", "size": 70.0, "rays": 12, "streak": 2.0, "ring": 0.0, "ghosts": 5,
            "place": { "x": 30.0, "y": 20.0 } }),
        json!({ "id": id(24), "kind": "cover", "outline": "ellipse", "place": { "x": 170.0, "y": 90.0 }, "size": [190.0, 120.0],
            "effect": { "blur": 8.0 } }),
        json!({ "id": id(25), "kind": "front", "outline": outline, "since": 2, "rides": true, "feather": 2.0 }),
    ]
}

fn subject() -> Value {
    let cleaning = json!({ "steps": [{ "step": "outliers", "window": 7, "sigmas": 3.0, "least": 1.0 }, { "step": "smooth", "strength": 1.0,
        "range": { "first": 2, "last": 20 } }] });
    json!({ "id": id(10), "name": "Yard", "letter": "A", "colour": 1, "pins": (1..=4).map(pin).collect::<Vec<_>>(), "attachments": attachments(),
            "cleaning": cleaning, "points": [{ "id": id(30), "placed": [{ "frame": 0, "at": { "x": 5.0, "y": 6.0 } }] }] })
}

fn samples(n: u32) -> Value {
    let sample = |frame: u32| {
        json!([frame, { "at": { "x": 100.0 + f64::from(frame), "y": 80.0 }, "match": 0.9, "state": "found",
        "covariance": { "xx": 0.1, "xy": 0.0, "yy": 0.1 }, "shape": null }])
    };
    json!({ "edit": "set_samples", "pin": id(n), "samples": (0..30).map(sample).collect::<Vec<_>>() })
}

/// Every kind of change, each good as it is, on the shot that the ones before it made.
fn changes() -> Vec<Value> {
    let mut all = vec![json!({ "edit": "add_subject", "index": 0, "subject": subject() })];
    all.extend((1..=4).map(samples));
    all.extend(
        attachments()
            .into_iter()
            .map(|one| json!({ "edit": "put_attachment", "subject": id(10), "attachment": one, "index": 0 })),
    );
    all.extend([
        json!({ "edit": "rename", "subject": id(10), "name": "Crane" }),
        json!({ "edit": "put_pin", "subject": id(10), "pin": pin(1), "index": 0 }),
        json!({ "edit": "set_cleaning", "subject": id(10), "cleaning": subject()["cleaning"] }),
        json!({ "edit": "set_motion", "subject": id(10), "motion": "affine" }),
        json!({ "edit": "put_point", "subject": id(10), "point": subject()["points"][0], "index": null }),
        json!({ "edit": "set_hand_overs", "subject": id(10), "hand_overs": [{ "from": 12, "pin": id(2) }] }),
        json!({ "edit": "set_no_cuts", "frames": [12] }),
        json!({ "edit": "all", "edits": [samples(1), { "edit": "remove_point", "subject": id(10), "point": id(30) }] }),
        json!({ "edit": "remove_attachment", "subject": id(10), "attachment": id(24) }),
        json!({ "edit": "remove_pin", "pin": id(4) }),
        json!({ "edit": "remove_subject", "subject": id(10) }),
    ]);
    all
}

fn evaluate(shot: &Shot) {
    for subject in &shot.subjects {
        drop(SubjectEvaluation::new(shot, subject));
    }
    let scene = Scene::new(shot, SIZE, RANGE, &|_: &_| (100.0, 30.0));
    for frame in [0, 7, 40] {
        drop(scene.frame(Frame(frame)));
    }
}

#[test]
fn the_good_changes_are_good() {
    let mut shot = Shot::default();
    for change in changes() {
        let edit: Edit = serde_json::from_value(change.clone()).unwrap_or_else(|error| panic!("{error}: {change}"));
        edit.apply(&mut shot).unwrap_or_else(|error| panic!("{error}: {change}"));
        evaluate(&shot);
    }
}

#[test]
fn no_change_makes_it_panic_and_what_is_made_can_be_taken_back() {
    let all = changes();
    let mut dice = Dice(1);
    // The shot as all but the removing changes leave it.
    let mut full = Shot::default();
    for change in &all[..18] {
        serde_json::from_value::<Edit>(change.clone()).unwrap().apply(&mut full).unwrap();
    }
    let (mut read, mut made) = (0, 0);
    let count = inputs(4000);
    for n in 0..count {
        let which = dice.below(all.len() as u64) as usize;
        let change = changed_json(&mut dice, &all[which]);
        let Ok(edit) = serde_json::from_value::<Edit>(change.clone()) else { continue };
        read += 1;
        let base = if dice.one_in(4) { Shot::default() } else { full.clone() };
        let mut shot = base.clone();
        let Ok(inverse) = edit.apply(&mut shot) else {
            assert_eq!(shot, base, "a change that is refused changes nothing: {change}");
            continue;
        };
        made += 1;
        if n % 4 == 0 {
            evaluate(&shot);
        }
        let kept: Edit = serde_json::from_value(serde_json::to_value(&inverse).unwrap()).unwrap();
        kept.again(&mut shot).unwrap_or_else(|error| panic!("{error} for {change}"));
        assert_eq!(shot.subjects, base.subjects, "{change}");
        assert!(shot.tracks.iter().all(|(pin, track)| **track == *base.track(*pin)), "{change}");
    }
    assert!(read > count / 6 && made > count / 12, "{read} read, {made} made of {count}");
}

#[test]
fn no_table_makes_it_panic() {
    let tables: [&[u8]; 4] = [
        b"frame,x,y,match,state,pin\n0,100.5,80.25,0.9,found,lamp\n1,101.5,80.5,0.8,guide,lamp\n2,102,81,0.7,hidden,door\n",
        b"no;x pos;y\n11;20,5;30\n12;21,5;31\n",
        b"t\tu\tv\n0\t1\t2\n1\t3\t4\n",
        br#"[{"frame": 0, "x": 1.5, "y": 2}, {"frame": 1, "x": 2.5, "y": 2}]"#,
    ];
    let mut dice = Dice(2);
    let count = inputs(3000);
    let mut read = 0;
    for _ in 0..count {
        let which = dice.below(4) as usize;
        let bytes = changed_bytes(&mut dice, tables[which]);
        let text = String::from_utf8_lossy(&bytes);
        if let Ok(table) = Table::parse(&text) {
            read += 1;
            drop(table.samples(&table.guess(), RANGE));
        }
    }
    assert!(read > count / 5, "{read} of {count}");
}

#[test]
fn no_pins_file_makes_it_panic() {
    let good = json!({ "pins": [
        { "name": "lamp", "frame": 0, "x": 412.5, "y": 230.5, "pattern": [31, 31], "search": "auto", "motion": "affine", "guides": [{ "frame": 9,
            "x": 1, "y": 2 }] },
        { "name": "door", "frame": 3, "x": 12, "y": 30, "channel": "luma", "reference": "checked", "filter": "none", "stop_below": 0.8 }] });
    assert!(PinFile::parse(&good.to_string()).is_ok());
    let mut dice = Dice(3);
    let count = inputs(2000);
    let mut read = 0;
    for _ in 0..count {
        let text = if dice.one_in(2) {
            changed_json(&mut dice, &good).to_string()
        } else {
            String::from_utf8_lossy(&changed_bytes(&mut dice, good.to_string().as_bytes())).into_owned()
        };
        read += u64::from(PinFile::parse(&text).is_ok());
    }
    assert!(read > count / 20, "{read} of {count}");
}
