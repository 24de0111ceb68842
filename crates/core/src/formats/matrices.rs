//! The motion of subjects as matrices, one a frame.

use std::fmt::Write;

use serde_json::{Value, json};

use super::{FrameCount, csv_field};
use crate::geometry::Homography;
use crate::motion::Poses;
use crate::time::{Frame, FrameRange, Rational};

/// The motion of a subject: its name and poses.
pub type NamedMotion<'a> = (&'a str, Poses);

/// From the picture of the first frame on which the subject is there to that of each frame on which it is, row by row;
/// the last number is 1.
fn matrices(poses: &Poses) -> Vec<(Frame, [[f64; 3]; 3])> {
    let frames: Vec<Frame> = poses.path().iter().map(|(frame, _)| frame).collect();
    let first = frames.first().and_then(|first| poses.at(*first)).and_then(|pose| pose.inverse());
    let Some(back) = first else { return Vec::new() };
    let map = |frame: &Frame| Some((*frame, normal(&poses.at(*frame)?.checked_after(&back)?)));
    frames.iter().filter_map(map).collect()
}

fn normal(map: &Homography) -> [[f64; 3]; 3] {
    map.rows().map(|row| row.map(|value| value / map.rows()[2][2]))
}

/// Matrices as CSV: `frame,subject,m11,m12,m13,m21,m22,m23,m31,m32,m33`.
pub fn matrices_csv(subjects: &[NamedMotion<'_>], count: FrameCount) -> String {
    let mut out = "frame,subject,m11,m12,m13,m21,m22,m23,m31,m32,m33\r\n".to_owned();
    for (name, poses) in subjects {
        for (frame, rows) in matrices(poses) {
            let numbers: Vec<String> = rows.iter().flatten().map(|value| format!("{value:.9}")).collect();
            write!(out, "{},{},{}\r\n", count.text(frame), csv_field(name), numbers.join(","))
                .expect("writing to a string does not fail");
        }
    }
    out
}

/// Matrices as JSON:
/// `{"coordinates", "frame_rate", "counted_from", "frames", "subjects": [{"name", "model", "matrices": [{"frame", "matrix"}]}]}`.
pub fn matrices_json(subjects: &[NamedMotion<'_>], range: FrameRange, rate: Rational, count: FrameCount) -> Value {
    let of = |(name, poses): &NamedMotion<'_>| {
        let row = |(frame, rows): (Frame, [[f64; 3]; 3])| json!({ "frame": count.value(frame), "matrix": rows });
        let rows: Vec<Value> = matrices(poses).into_iter().map(row).collect();
        json!({ "name": name, "model": poses.model(), "matrices": rows })
    };
    json!({
        "coordinates": "pixels of the full-size picture, origin at its top left corner, x right, y down; from the first frame of the subject to each frame",
        "frame_rate": [rate.num, rate.den],
        "counted_from": count.first(),
        "frames": [count.value(range.first), count.value(range.last)],
        "subjects": subjects.iter().map(of).collect::<Vec<_>>(),
    })
}
