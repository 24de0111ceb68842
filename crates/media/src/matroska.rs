//! Just enough Matroska to hand raw frames with exact times to an encoder through a pipe.
//!
//! Format: RFC 8794 (EBML) and RFC 9559 (Matroska). One cluster a frame, so that times of any length fit.

use jampin_core::geometry::Size;

/// Times are whole microseconds: fine enough that rounding to any common time base gives the frame's exact time back.
const TIMESTAMP_SCALE: u64 = 1000;

mod id {
    pub const EBML: u32 = 0x1A45_DFA3;
    pub const DOC_TYPE: u32 = 0x4282;
    pub const SEGMENT: u32 = 0x1853_8067;
    pub const INFO: u32 = 0x1549_A966;
    pub const TIMESTAMP_SCALE: u32 = 0x2A_D7B1;
    pub const MUXING_APP: u32 = 0x4D80;
    pub const WRITING_APP: u32 = 0x5741;
    pub const TRACKS: u32 = 0x1654_AE6B;
    pub const TRACK_ENTRY: u32 = 0xAE;
    pub const TRACK_NUMBER: u32 = 0xD7;
    pub const TRACK_UID: u32 = 0x73C5;
    pub const TRACK_TYPE: u32 = 0x83;
    pub const CODEC_ID: u32 = 0x86;
    pub const DEFAULT_DURATION: u32 = 0x23_E383;
    pub const VIDEO: u32 = 0xE0;
    pub const PIXEL_WIDTH: u32 = 0xB0;
    pub const PIXEL_HEIGHT: u32 = 0xBA;
    pub const UNCOMPRESSED_FOURCC: u32 = 0x2E_B524;
    pub const CLUSTER: u32 = 0x1F43_B675;
    pub const TIMESTAMP: u32 = 0xE7;
    pub const SIMPLE_BLOCK: u32 = 0xA3;
}

/// The head of a stream of raw frames of this size and format; `frame_nanos` is how long a frame usually stays.
pub(crate) fn head(size: Size, frame_nanos: u64, format: &[u8; 4]) -> Vec<u8> {
    let video = [number(id::PIXEL_WIDTH, size.width.into()), number(id::PIXEL_HEIGHT, size.height.into())];
    let fourcc = element(id::UNCOMPRESSED_FOURCC, format);
    let track = [
        number(id::TRACK_NUMBER, 1),
        number(id::TRACK_UID, 1),
        number(id::TRACK_TYPE, 1),
        number(id::DEFAULT_DURATION, frame_nanos),
        element(id::CODEC_ID, b"V_UNCOMPRESSED"),
        element(id::VIDEO, &[video.concat(), fourcc].concat()),
    ];
    let info = [
        number(id::TIMESTAMP_SCALE, TIMESTAMP_SCALE),
        element(id::MUXING_APP, b"jampin"),
        element(id::WRITING_APP, b"jampin"),
    ];
    let mut out = element(id::EBML, &element(id::DOC_TYPE, b"matroska"));
    out.extend(id_bytes(id::SEGMENT));
    // All ones: of unknown length, as the end is not known when a stream begins.
    out.extend([0x01, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF]);
    out.extend(element(id::INFO, &info.concat()));
    out.extend(element(id::TRACKS, &element(id::TRACK_ENTRY, &track.concat())));
    out
}

/// What comes before the bytes of a frame shown at `micros`.
pub(crate) fn frame_head(micros: u64, frame_bytes: usize) -> Vec<u8> {
    let timestamp = number(id::TIMESTAMP, micros);
    // Track 1, at the cluster's own time, a keyframe.
    let block_head = [0x81, 0, 0, 0x80];
    let block_length = (block_head.len() + frame_bytes) as u64;
    let mut block = id_bytes(id::SIMPLE_BLOCK);
    block.extend(length(block_length));
    block.extend(block_head);
    let mut out = id_bytes(id::CLUSTER);
    out.extend(length((timestamp.len() + block.len() + frame_bytes) as u64));
    out.extend(timestamp);
    out.extend(block);
    out
}

fn element(id: u32, body: &[u8]) -> Vec<u8> {
    let mut out = id_bytes(id);
    out.extend(length(body.len() as u64));
    out.extend_from_slice(body);
    out
}

fn number(id: u32, value: u64) -> Vec<u8> {
    element(id, &value.to_be_bytes())
}

fn id_bytes(id: u32) -> Vec<u8> {
    id.to_be_bytes().into_iter().skip_while(|byte| *byte == 0).collect()
}

/// A length in eight bytes: marker bit, then 56 bits.
fn length(value: u64) -> [u8; 8] {
    (value | 1 << 56).to_be_bytes()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn elements_have_their_id_then_their_length() {
        assert_eq!(number(id::TRACK_TYPE, 1), [0x83, 1, 0, 0, 0, 0, 0, 0, 8, 0, 0, 0, 0, 0, 0, 0, 1]);
    }

    #[test]
    fn a_cluster_is_as_long_as_it_says() {
        let head = frame_head(40_000, 6);
        let said = u64::from_be_bytes(head[4..12].try_into().unwrap()) & !(1 << 56);
        assert_eq!(head.len() - 12 + 6, said as usize);
    }
}
