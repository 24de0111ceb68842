//! Paths and their keyframes as CSV (RFC 4180) and JSON.

use std::fmt::Write;

use serde_json::{Value, json};

use super::{FrameCount, csv_field};
use crate::path::{Path, PathKeyframe, Run, Tangent};
use crate::time::{FrameRange, Rational};

/// Keyframes of a span; without a step that makes them, one on every frame, joined by straight pieces.
fn keys(run: &Run) -> Vec<PathKeyframe> {
    match &run.curve {
        Some(curve) => curve.keys().to_vec(),
        None => run.range().frames().zip(&run.places).map(|(frame, at)| PathKeyframe::straight(frame, *at)).collect(),
    }
}

/// Header `frame,subject,span,x,y,arrive_x,arrive_y,leave_x,leave_y`, then a row for each keyframe.
///
/// Places in pixels, velocities in pixels a frame, four decimals; a velocity is empty where a piece is straight. Spans
/// count from 0; between two keyframes of one span the path is the cubic through both with these velocities (its Bézier
/// handles lie at a third and at two thirds of the time).
pub fn keys_csv(paths: &[(&str, Path)], count: FrameCount) -> String {
    let mut out = String::from("frame,subject,span,x,y,arrive_x,arrive_y,leave_x,leave_y\n");
    for (name, path) in paths {
        let name = csv_field(name);
        for (span, run) in path.runs.iter().enumerate() {
            for key in keys(run) {
                let joint = |joint: Tangent| match joint {
                    Tangent::Straight => ",".to_owned(),
                    Tangent::Velocity(velocity) => format!("{:.4},{:.4}", velocity.x, velocity.y),
                };
                let PathKeyframe { frame, at, arrive, leave } = key;
                let frame = count.text(frame);
                writeln!(out, "{frame},{name},{span},{:.4},{:.4},{},{}", at.x, at.y, joint(arrive), joint(leave))
                    .expect("writing to a string does not fail");
            }
        }
    }
    out
}

/// `{"coordinates", "frame_rate", "counted_from", "frames": [first, last], "subjects": [{"name", "spans": [{"first", "places": [[x, y], ...],
/// "keys": [{"frame", "at", "arrive", "leave"}]}]}]}`, numbers as in [`keys_csv`].
pub fn path_json(paths: &[(&str, Path)], range: FrameRange, rate: Rational, count: FrameCount) -> Value {
    let round = |value: f64| (value * 1e4).round() / 1e4;
    let span = |run: &Run| {
        let places: Vec<[f64; 2]> = run.places.iter().map(|at| [round(at.x), round(at.y)]).collect();
        let keys = keys(run).into_iter().map(|key| {
            let mut value = json!(key);
            value["frame"] = count.value(key.frame);
            value
        });
        json!({ "first": count.value(run.first), "places": places, "keys": keys.collect::<Vec<_>>() })
    };
    let subjects = paths
        .iter()
        .map(|(name, path)| json!({ "name": name, "spans": path.runs.iter().map(span).collect::<Vec<_>>() }));
    json!({
        "coordinates": "pixels, origin at the top left corner of the picture, x right, y down",
        "frame_rate": [rate.num, rate.den],
        "counted_from": count.first(),
        "frames": [count.value(range.first), count.value(range.last)],
        "subjects": subjects.collect::<Vec<_>>(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Point;
    use crate::path::Curve;
    use crate::time::Frame;

    fn path() -> Path {
        let keys = [
            PathKeyframe::smooth(Frame(3), Point::new(1.0, 2.0), Point::new(0.5, 0.0)),
            PathKeyframe::straight(Frame(6), Point::new(4.0, 2.0)),
        ];
        let curve = Curve::new(keys);
        let places = (3..=6).map(|n| curve.as_ref().unwrap().at(f64::from(n))).collect();
        let plain = Run { first: Frame(9), places: vec![Point::new(7.0, 8.0)], curve: None };
        Path { runs: vec![Run { first: Frame(3), places, curve }, plain] }
    }

    #[test]
    fn keyframes_are_rows() {
        let text = keys_csv(&[("tank, old", path())], FrameCount::From(0));
        let lines: Vec<&str> = text.lines().collect();
        assert_eq!(lines[1], "3,\"tank, old\",0,1.0000,2.0000,0.5000,0.0000,0.5000,0.0000");
        assert_eq!(lines[2], "6,\"tank, old\",0,4.0000,2.0000,,,,");
        assert_eq!(lines[3], "9,\"tank, old\",1,7.0000,8.0000,,,,");
        assert_eq!(lines.len(), 4);
    }

    #[test]
    fn json_has_every_frame_and_the_keys() {
        let range = FrameRange::new(Frame(0), Frame(9)).unwrap();
        let value = path_json(&[("tank", path())], range, Rational { num: 25, den: 1 }, FrameCount::From(1001));
        let span = &value["subjects"][0]["spans"][0];
        assert_eq!(span["places"].as_array().unwrap().len(), 4);
        assert_eq!(span["keys"][0]["leave"]["velocity"]["x"], 0.5);
        assert_eq!(span["keys"][1]["arrive"], "straight");
        assert_eq!(
            (&span["first"], &span["keys"][1]["frame"], &value["frames"]),
            (&json!(1004), &json!(1007), &json!([1001, 1010]))
        );
    }
}
