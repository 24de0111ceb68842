//! What a file holds: streams, colour, frame times.

use std::path::Path;

use jampin_core::geometry::Size;
use jampin_core::time::Rational;
use serde::Deserialize;

use crate::child::output;
use crate::tools::{Call, Tools};
use crate::{AudioInfo, ClipInfo, ColourTags, FrameTable, MediaError};

/// Smallest side of a picture that anything can be followed in.
const LEAST_SIDE: u32 = 16;
/// Largest side: twice 8K; above it a frame does not fit the planned memory.
const LARGEST_SIDE: u32 = 16384;
/// Most of a probe's answer that is read: about a million frames.
const LONGEST_ANSWER: u64 = 256 << 20;

#[derive(Deserialize)]
struct Answer {
    #[serde(default)]
    streams: Vec<Stream>,
    format: Option<Format>,
    #[serde(default)]
    packets: Vec<Packet>,
}

#[derive(Deserialize)]
struct Format {
    format_name: String,
    start_time: Option<String>,
}

#[derive(Deserialize)]
struct Stream {
    index: u32,
    codec_type: Option<String>,
    codec_name: Option<String>,
    width: Option<u32>,
    height: Option<u32>,
    pix_fmt: Option<String>,
    bits_per_raw_sample: Option<String>,
    field_order: Option<String>,
    color_range: Option<String>,
    color_space: Option<String>,
    color_transfer: Option<String>,
    color_primaries: Option<String>,
    r_frame_rate: Option<String>,
    avg_frame_rate: Option<String>,
    time_base: Option<String>,
    #[serde(default)]
    disposition: Disposition,
    #[serde(default)]
    side_data_list: Vec<SideData>,
}

#[derive(Default, Deserialize)]
struct Disposition {
    #[serde(default)]
    attached_pic: u32,
}

#[derive(Deserialize)]
struct SideData {
    rotation: Option<f64>,
}

#[derive(Deserialize)]
struct Packet {
    pts: Option<i64>,
    dts: Option<i64>,
    duration: Option<i64>,
    #[serde(default)]
    flags: String,
}

/// Reads what the file is and when its frames are shown, without decoding them.
pub fn probe(tools: &Tools, path: &Path) -> Result<(ClipInfo, FrameTable), MediaError> {
    let mut command = tools.ffprobe();
    command.args(["-show_streams", "-show_format"]);
    command.film(path);
    let answer = run(tools, command)?;
    let stream = video_stream(&answer)?;
    let info = clip_info(stream, &answer)?;
    let mut command = tools.ffprobe();
    command.args(["-select_streams", &stream.index.to_string(), "-show_entries", "packet=pts,dts,duration,flags"]);
    command.film(path);
    let table = frame_table(stream, &run(tools, command)?.packets)?;
    Ok((info, table))
}

fn run(tools: &Tools, command: Call) -> Result<Answer, MediaError> {
    let (bytes, _) = output(command, tools.limits.probe, LONGEST_ANSWER).map_err(explain)?;
    serde_json::from_slice(&bytes).map_err(|error| {
        MediaError::BadInput(format!("This file cannot be read as a film: its description makes no sense ({error})."))
    })
}

/// Turns the probe's last words into a sentence that says what to do.
fn explain(error: MediaError) -> MediaError {
    let MediaError::Tool { tail, status, .. } = &error else { return error };
    let says = |words: &str| tail.contains(words);
    let sentence = match () {
        () if says("moov atom not found") => {
            "This film is cut off or was not finished writing: the index at its end is missing. Copy it again from the \
             camera or the program that made it."
        }
        () if says("Codec (") && says("not on whitelist") => {
            let codec = tail.split("Codec (").nth(1).and_then(|rest| rest.split(')').next()).unwrap_or("unknown");
            return MediaError::BadInput(format!(
                "A stream of this film is written in a way that is not read here ({codec}). Save it as H.264 or ProRes with plain sound, then bring that."
            ));
        }
        () if says("Invalid data found") || says("whitelist") || says("Unknown input format") => {
            "This is not a film that can be read. Films in MP4, MOV, MKV, WebM, AVI, MXF, MPEG, OGG or GIF files can be \
             opened."
        }
        () if says("Cannot allocate memory") => "This film claims a size that does not fit into memory.",
        // ffprobe read the file and gave up on it; any other ending is not the file's fault.
        () if status == "exit status: 1" => "This film is empty, damaged or cut off: nothing in it can be decoded.",
        () => return error,
    };
    MediaError::BadInput(sentence.into())
}

fn video_stream(answer: &Answer) -> Result<&Stream, MediaError> {
    let video =
        |stream: &&Stream| stream.codec_type.as_deref() == Some("video") && stream.disposition.attached_pic == 0;
    answer.streams.iter().find(video).ok_or_else(|| {
        let what = if answer.streams.is_empty() { "nothing that can be shown" } else { "sound but no picture" };
        MediaError::BadInput(format!("This file holds {what}. Choose a film."))
    })
}

fn clip_info(stream: &Stream, answer: &Answer) -> Result<ClipInfo, MediaError> {
    let (Some(width), Some(height)) = (stream.width.filter(|w| *w > 0), stream.height.filter(|h| *h > 0)) else {
        return Err(MediaError::BadInput("This film holds no picture that can be decoded; it may be cut off.".into()));
    };
    let rotation = stream.side_data_list.iter().find_map(|side| side.rotation).unwrap_or(0.0);
    // ffprobe gives the turn counter-clockwise.
    let quarter_turns = ((-rotation / 90.0).round() as i64).rem_euclid(4) as u32;
    let size = if quarter_turns % 2 == 1 { Size::new(height, width) } else { Size::new(width, height) };
    check_size(size)?;
    let pixel_format = stream.pix_fmt.clone().unwrap_or_default();
    let rate = [&stream.avg_frame_rate, &stream.r_frame_rate].into_iter().flatten();
    let rate = rate.filter_map(|text| Rational::parse(text)).next().unwrap_or(Rational { num: 25, den: 1 });
    let audio = answer.streams.iter().find(|s| s.codec_type.as_deref() == Some("audio"));
    let start = answer.format.as_ref().and_then(|format| format.start_time.as_ref()?.parse::<f64>().ok());
    let known = |tag: &Option<String>| tag.clone().filter(|tag| !matches!(tag.as_str(), "unknown" | "reserved"));
    Ok(ClipInfo {
        size,
        rate,
        stream: stream.index,
        codec: stream.codec_name.clone().unwrap_or_default(),
        bits: bits(stream, &pixel_format),
        alpha: ["yuva", "rgba", "bgra", "argb", "abgr", "gbrap", "ya8", "ya16"]
            .iter()
            .any(|p| pixel_format.starts_with(p)),
        pixel_format,
        quarter_turns,
        interlaced: matches!(stream.field_order.as_deref(), Some("tt" | "bb" | "tb" | "bt")),
        colour: ColourTags {
            range: known(&stream.color_range),
            space: known(&stream.color_space),
            transfer: known(&stream.color_transfer),
            primaries: known(&stream.color_primaries),
        },
        audio: audio.map(|s| AudioInfo { stream: s.index, codec: s.codec_name.clone().unwrap_or_default() }),
        start_micros: (start.unwrap_or(0.0) * 1e6).round() as i64,
        container: answer.format.as_ref().map(|format| format.format_name.clone()).unwrap_or_default(),
        notes: Vec::new(),
    })
}

fn check_size(size: Size) -> Result<(), MediaError> {
    let Size { width, height } = size;
    if width.min(height) < LEAST_SIDE {
        return Err(MediaError::BadInput(format!(
            "The picture is only {width} x {height} pixels. Nothing can be followed in less than {LEAST_SIDE} x {LEAST_SIDE}."
        )));
    }
    if width.max(height) > LARGEST_SIDE {
        return Err(MediaError::Limit(format!(
            "The picture is {width} x {height} pixels; at most {LARGEST_SIDE} to a side can be opened. Make a smaller copy."
        )));
    }
    Ok(())
}

fn bits(stream: &Stream, pixel_format: &str) -> u32 {
    let named = ["9", "10", "12", "14", "16"].into_iter().find(|bits| {
        [format!("p{bits}le"), format!("p{bits}be"), format!("y{bits}le")].iter().any(|end| pixel_format.ends_with(end))
    });
    // Packed formats say how many bits a pixel has.
    let packed =
        ["rgb48", "bgr48", "rgba64", "bgra64", "gray16", "ya16"].iter().any(|name| pixel_format.starts_with(name));
    let named = if packed { Some("16") } else { named };
    named.and_then(|bits| bits.parse().ok()).unwrap_or_else(|| {
        stream
            .bits_per_raw_sample
            .as_ref()
            .and_then(|bits| bits.parse().ok())
            .filter(|b| (8..=16).contains(b))
            .unwrap_or(8)
    })
}

fn frame_table(stream: &Stream, packets: &[Packet]) -> Result<FrameTable, MediaError> {
    let time_base = stream.time_base.as_deref().and_then(Rational::parse).unwrap_or(Rational { num: 1, den: 1000 });
    // Packets marked D are decoded but not shown (they lie before an edit).
    let shown = || packets.iter().filter(|packet| !packet.flags.contains('D'));
    let mut times: Vec<i64> = shown().filter_map(|packet| packet.pts.or(packet.dts)).collect();
    times.sort_unstable();
    times.dedup();
    if times.is_empty() {
        // Bare streams carry no times: count frames at the nominal rate.
        let count = shown().count() as i64;
        let step = shown().find_map(|packet| packet.duration).filter(|step| *step > 0).unwrap_or(1);
        times = (0..count).map(|n| n * step).collect();
    }
    if times.is_empty() {
        return Err(MediaError::BadInput("This film has no frames: it is empty or cut off right at its start.".into()));
    }
    let step = times.windows(2).next_back().map(|pair| pair[1] - pair[0]);
    let last = shown().filter(|packet| packet.pts == times.last().copied()).find_map(|packet| packet.duration);
    let last_duration = last.filter(|d| *d > 0).or(step).unwrap_or(1);
    Ok(FrameTable { time_base, times, last_duration })
}

#[cfg(test)]
mod tests {
    use jampin_core::time::Frame;
    use jampin_testkit::{Dice, changed_json, inputs};
    use serde_json::{Value, json};

    use super::*;

    fn answer() -> Value {
        let packets: Vec<Value> =
            (0..20).map(|n| json!({ "pts": 512 * n, "dts": 512 * n, "duration": 512, "flags": "K__" })).collect();
        json!({ "streams": [
            { "index": 0, "codec_type": "video", "codec_name": "h264", "width": 640, "height": 360, "pix_fmt": "yuv420p", "bits_per_raw_sample": "8",
              "field_order": "progressive", "color_range": "tv", "color_space": "bt709", "r_frame_rate": "25/1", "avg_frame_rate": "25/1",
              "time_base": "1/12800", "disposition": { "attached_pic": 0 }, "side_data_list": [{ "rotation": -90 }] },
            { "index": 1, "codec_type": "audio", "codec_name": "aac" }],
            "format": { "format_name": "mov,mp4", "start_time": "0.000000" }, "packets": packets })
    }

    fn read(value: Value) -> Result<(ClipInfo, FrameTable), MediaError> {
        let answer: Answer = serde_json::from_value(value).map_err(|error| MediaError::BadInput(error.to_string()))?;
        let stream = video_stream(&answer)?;
        Ok((clip_info(stream, &answer)?, frame_table(stream, &answer.packets)?))
    }

    #[test]
    fn no_answer_of_a_probe_makes_it_panic() {
        let (info, table) = read(answer()).unwrap();
        assert_eq!((info.quarter_turns, info.size, table.len()), (1, Size::new(360, 640), 20));
        let mut dice = Dice(4);
        let (count, mut good) = (inputs(1500), 0);
        for _ in 0..count {
            let Ok((info, table)) = read(changed_json(&mut dice, &answer())) else { continue };
            good += 1;
            assert!(!table.is_empty() && info.size.width >= LEAST_SIDE);
            let _ = (info.remarks(), info.matrix().len(), table.micros(Frame(table.len())), table.is_even());
        }
        assert!(good > count / 4, "{good} of {count}");
    }
}
