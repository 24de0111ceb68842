//! A film written in pieces is the film written at once.

use std::fs;
use std::path::Path;

use jampin_core::time::{Frame, FrameRange};
use jampin_media::{
    Cancel, ClipInfo, Container, EncodeJob, Encoder, FrameReader, FrameTable, Layout, Piece, RawFrame, Tools,
    join_numbered, join_pieces, probe,
};
use jampin_testkit::probe_values;

use super::{SOURCE, opened};

struct Shot<'a> {
    clip: &'a Path,
    info: &'a ClipInfo,
    table: &'a FrameTable,
    container: Container,
}

impl Shot<'_> {
    fn job<'a>(&'a self, range: FrameRange, piece_of: Option<Frame>, out: &'a Path) -> EncodeJob<'a> {
        let Shot { clip, info, table, container } = *self;
        EncodeJob { clip, info, table, range, container, piece_of, out }
    }

    /// Decodes some frames and encodes them again, unchanged.
    fn write(&self, range: FrameRange, piece_of: Option<Frame>, out: &Path) {
        let (tools, cancel) = (Tools::default(), Cancel::default());
        let layout = if self.container.is_graphics() { Layout::Rgba } else { Layout::Yuv };
        let film = (self.info, self.table);
        let mut reader = FrameReader::laid_out(layout, &tools, self.clip, film, range.first, &cancel).unwrap();
        let mut encoder = Encoder::start(&tools, &self.job(range, piece_of, out), cancel).unwrap();
        let mut frame = RawFrame { size: self.info.size, data: Vec::new() };
        for number in range.frames() {
            assert!(reader.read(&mut frame).unwrap());
            encoder.write(number, &frame.data).unwrap();
        }
        encoder.finish().unwrap();
    }

    /// In pieces of so many frames.
    fn write_in_pieces(&self, folder: &Path, range: FrameRange, each: u32) -> Vec<u8> {
        let firsts = (range.first.0..=range.last.0).step_by(each as usize).map(Frame);
        let pieces: Vec<Piece> = firsts
            .map(|first| {
                let path = folder.join(format!("it's {}.{}", first.0, self.container.extension()));
                let last = Frame((first.0 + each - 1).min(range.last.0));
                self.write(FrameRange { first, last }, Some(range.first), &path);
                Piece { path, first }
            })
            .collect();
        let out = folder.join(format!("joined.{}", self.container.extension()));
        join_pieces(&Tools::default(), &self.job(range, None, &out), &pieces, &Cancel::default()).unwrap();
        let left = fs::read_dir(folder).unwrap().filter(|entry| {
            let name = entry.as_ref().unwrap().file_name();
            name.to_string_lossy().ends_with(".list") || name.to_string_lossy().ends_with(".part")
        });
        assert_eq!(left.count(), 0, "nothing is left over");
        fs::read(out).unwrap()
    }
}

fn times(film: &Path) -> Vec<i64> {
    let (_, table) = probe(&Tools::default(), film).unwrap();
    (0..table.len()).map(|n| table.micros(Frame(n)).unwrap()).collect()
}

/// The film at once, then in pieces; gives the bytes of the latter.
fn compare(shot: &Shot<'_>, range: FrameRange) -> Vec<u8> {
    let dir = tempfile::tempdir().unwrap();
    let ending = shot.container.extension();
    let [whole, joined] = ["whole", "joined"].map(|name| dir.path().join(format!("{name}.{ending}")));
    shot.write(range, None, &whole);
    let bytes = shot.write_in_pieces(dir.path(), range, 10);
    assert_eq!(times(&joined), times(&whole), "{:?} {range:?}", shot.container);
    let streams = |film: &Path| probe_values(film, "stream=codec_name,pix_fmt,width,height,sample_rate");
    assert_eq!(streams(&joined), streams(&whole), "{:?} {range:?}", shot.container);
    bytes
}

#[test]
fn pieces_make_the_film_with_its_times_and_sound() {
    // Frames that stay for ever longer, counted in milliseconds.
    let uneven = format!(
        "{SOURCE} -f lavfi -i sine=duration=2 -vf settb=1/1000,setpts=N*N+20*N -fps_mode vfr -enc_time_base 1/1000 \
         -video_track_timescale 1000 -pix_fmt yuv420p -c:a aac"
    );
    let (_dir, folder, info, prepared) = opened("uneven.mp4", &uneven);
    let (clip, table) = (folder.original(), &prepared.table);
    let all = FrameRange { first: Frame(0), last: Frame(table.len() - 1) };
    let every =
        [Container::Mp4, Container::Webm, Container::WebmGraphics, Container::ProresGraphics, Container::Between];
    for container in every {
        let shot = Shot { clip: &clip, info: &info, table, container };
        let bytes = compare(&shot, all);
        let again = tempfile::tempdir().unwrap();
        assert!(shot.write_in_pieces(again.path(), all, 10) == bytes, "{container:?}: other bytes the second time");
    }
}

#[test]
fn pieces_of_a_part_at_thirty_frames_a_second_that_are_none() {
    let ntsc = "-f lavfi -i testsrc2=size=320x180:rate=30000/1001:duration=1 -f lavfi -i sine=duration=1 \
                -pix_fmt yuv420p -c:a aac";
    let (_dir, folder, info, prepared) = opened("ntsc.mp4", ntsc);
    let clip = folder.original();
    for container in [Container::Mp4, Container::Webm, Container::Between] {
        let shot = Shot { clip: &clip, info: &info, table: &prepared.table, container };
        compare(&shot, FrameRange { first: Frame(4), last: Frame(27) });
    }
}

#[test]
fn a_piece_that_is_not_there_is_an_error_and_nothing_is_left_over() {
    let (dir, folder, info, prepared) = opened("film.mp4", &format!("{SOURCE} -pix_fmt yuv420p"));
    let clip = folder.original();
    let shot = Shot { clip: &clip, info: &info, table: &prepared.table, container: Container::Mp4 };
    let out = dir.path().join("joined.mp4");
    let all = FrameRange { first: Frame(0), last: Frame(24) };
    let missing = [Piece { path: dir.path().join("nothing.mp4"), first: Frame(0) }];
    assert!(join_pieces(&Tools::default(), &shot.job(all, None, &out), &missing, &Cancel::default()).is_err());
    assert!(!out.exists() && !out.with_extension("part").exists() && !out.with_extension("list").exists());
    let out = dir.path().join("joined.zip");
    assert!(join_numbered(&[dir.path().join("nothing.zip")], &out).is_err());
    assert!(!out.exists() && !out.with_extension("part").exists());
}
