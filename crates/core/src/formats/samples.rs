//! Samples as CSV (RFC 4180) and JSON.

use std::fmt::Write;

use serde_json::{Value, json};

use super::FrameCount;
use crate::time::{Frame, FrameRange, Rational};
use crate::track::{Sample, Track};

/// The samples of one pin under the name they have in files.
#[derive(Clone, Copy, Debug)]
pub struct NamedTrack<'a> {
    /// Name of the pin.
    pub name: &'a str,
    /// Its samples.
    pub track: &'a Track,
}

/// Header `frame,pin,x,y,match,state,sd_x,sd_y,grasp`, then one row per frame and pin that has a sample in the range,
/// in order of frames. Picture coordinates and deviations in pixels with four decimals.
pub fn samples_csv(tracks: &[NamedTrack<'_>], range: FrameRange, count: FrameCount) -> String {
    let mut out = String::from("frame,pin,x,y,match,state,sd_x,sd_y,grasp\n");
    let names: Vec<String> = tracks.iter().map(|named| csv_field(named.name)).collect();
    for frame in range.frames() {
        for (named, name) in tracks.iter().zip(&names) {
            if let Some(sample) = named.track.get(frame) {
                write_row(&mut out, &count.text(frame), name, &sample);
            }
        }
    }
    out
}

fn write_row(out: &mut String, frame: &str, name: &str, sample: &Sample) {
    let Sample { at, matched, covariance, state, grasp, .. } = sample;
    let deviation = covariance.deviation();
    writeln!(
        out,
        "{frame},{name},{:.4},{:.4},{matched:.4},{},{:.4},{:.4},{}",
        at.x,
        at.y,
        state.word(),
        deviation.x,
        deviation.y,
        grasp.word()
    )
    .expect("writing to a string does not fail");
}

/// A value as a CSV field: quoted when it holds a comma, a quote or a line break. A text that a spreadsheet would
/// take for a formula gets an apostrophe in front.
pub fn csv_field(text: &str) -> String {
    let guarded = if text.starts_with(['=', '+', '-', '@']) { format!("'{text}") } else { text.to_owned() };
    if guarded.contains([',', '"', '\n', '\r']) { format!("\"{}\"", guarded.replace('"', "\"\"")) } else { guarded }
}

/// `{"coordinates": .., "frame_rate": [num, den], "counted_from": .., "frames": [first, last], "pins": [{"name", "samples": [{"frame", "x",
/// "y", "match", "state", "sd_x", "sd_y", "grasp"}]}]}`, numbers as in [`samples_csv`].
pub fn samples_json(tracks: &[NamedTrack<'_>], range: FrameRange, rate: Rational, count: FrameCount) -> Value {
    let round = |value: f64| (value * 1e4).round() / 1e4;
    let sample = |(frame, sample): (Frame, Sample)| {
        let deviation = sample.covariance.deviation();
        json!({
            "frame": count.value(frame), "x": round(sample.at.x), "y": round(sample.at.y), "match": round(sample.matched),
            "state": sample.state, "sd_x": round(deviation.x), "sd_y": round(deviation.y), "grasp": sample.grasp,
            "peak_ratio": sample.peak_ratio.map(round), "back_error": sample.back_error.map(round), "shape": sample.shape,
        })
    };
    let pins = tracks.iter().map(|named| {
        let samples = named.track.iter().filter(|(frame, _)| range.contains(*frame)).map(sample);
        json!({ "name": named.name, "samples": samples.collect::<Vec<_>>() })
    });
    json!({
        "coordinates": "pixels, origin at the top left corner of the picture, x right, y down",
        "frame_rate": [rate.num, rate.den],
        "counted_from": count.first(),
        "frames": [count.value(range.first), count.value(range.last)],
        "pins": pins.collect::<Vec<_>>(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Point;
    use crate::track::{Covariance, SampleState};

    fn track() -> Track {
        let covariance = Covariance::new([0.031f64.powi(2), 0.0, 0.04f64.powi(2)]);
        let found = Sample::bare(Point::new(412.5, 230.123_46), 0.987_65, covariance, SampleState::Found);
        [(Frame(0), Sample::guide(Point::new(410.0, 230.0))), (Frame(2), found)].into_iter().collect()
    }

    fn range() -> FrameRange {
        FrameRange::new(Frame(0), Frame(9)).unwrap()
    }

    #[test]
    fn csv_has_four_decimals_and_one_row_per_sample() {
        let track = track();
        let text = samples_csv(&[NamedTrack { name: "lamp, left", track: &track }], range(), FrameCount::From(0));
        let lines: Vec<&str> = text.lines().collect();
        assert_eq!(lines[0], "frame,pin,x,y,match,state,sd_x,sd_y,grasp");
        assert_eq!(lines[1], "0,\"lamp, left\",410.0000,230.0000,1.0000,guide,0.0000,0.0000,exact");
        assert_eq!(lines[2], "2,\"lamp, left\",412.5000,230.1235,0.9877,found,0.0310,0.0400,exact");
        assert_eq!(lines.len(), 3);
    }

    #[test]
    fn fields_are_quoted_and_formulas_disarmed() {
        assert_eq!(csv_field("plain"), "plain");
        assert_eq!(csv_field("a \"b\""), "\"a \"\"b\"\"\"");
        assert_eq!(csv_field("=1+1"), "'=1+1");
    }

    #[test]
    fn json_says_the_same_as_csv() {
        let track = track();
        let value = samples_json(
            &[NamedTrack { name: "lamp", track: &track }],
            range(),
            Rational { num: 25, den: 1 },
            FrameCount::From(1),
        );
        assert_eq!(value["pins"][0]["samples"][1]["y"], 230.1235);
        assert_eq!(value["pins"][0]["samples"][0]["state"], "guide");
        assert_eq!((&value["frame_rate"], &value["frames"]), (&json!([25, 1]), &json!([1, 10])));
        assert_eq!((&value["counted_from"], &value["pins"][0]["samples"][1]["frame"]), (&json!(1), &json!(3)));
    }
}
