//! Films of every awkward kind: each opens rightly or says clearly why not.

mod numbered;
mod pieces;

use std::fs;
use std::os::unix::fs::PermissionsExt;
use std::time::Duration;

use jampin_core::geometry::{PixelRect, Size};
use jampin_core::image::{Component, FrameSource};
use jampin_core::time::{Frame, FrameRange};
use jampin_media::{
    Cancel, ClipFolder, ClipInfo, Container, EncodeJob, Encoder, FrameReader, FrameTable, Leave, MediaError, Prepared,
    RawFrame, StoredPlanes, Tools, WhenMissing, first_picture, picture, prepare, prepare_colour, probe,
};
use jampin_testkit::{make_film, probe_values};

const SOURCE: &str = "-f lavfi -i testsrc2=size=320x180:rate=25:duration=1";

/// Takes a film all the way in.
fn open(folder: &ClipFolder) -> Result<(ClipInfo, Prepared), MediaError> {
    let tools = Tools::default();
    let (info, table) = probe(&tools, &folder.original())?;
    first_picture(&tools, folder, &info)?;
    let prepared = prepare(&tools, folder, (&info, &table), Leave::PicturesAndPlanes, &Cancel::default(), &mut |_| {})?;
    Ok((info, prepared))
}

fn opened(name: &str, arguments: &str) -> (tempfile::TempDir, ClipFolder, ClipInfo, Prepared) {
    let dir = tempfile::tempdir().unwrap();
    let folder = ClipFolder::new(dir.path().to_owned());
    let film = make_film(dir.path(), name, arguments);
    fs::rename(film, folder.original()).unwrap();
    let (info, prepared) = open(&folder).unwrap_or_else(|error| panic!("{name}: {error}"));
    for frame in [0, prepared.table.len() - 1] {
        assert!(folder.preview(Frame(frame)).exists(), "{name}: no picture of frame {frame}: {prepared:?}");
        assert!(folder.planes().has(Frame(frame)), "{name}: no plane of frame {frame}");
    }
    assert!(!folder.preview(Frame(prepared.table.len())).exists(), "{name}: a picture too many");
    (dir, folder, info, prepared)
}

fn refused(bytes: &[u8]) -> String {
    let dir = tempfile::tempdir().unwrap();
    let folder = ClipFolder::new(dir.path().to_owned());
    fs::write(folder.original(), bytes).unwrap();
    match open(&folder) {
        Err(MediaError::BadInput(reason) | MediaError::Limit(reason)) => reason,
        other => panic!("not refused: {other:?}"),
    }
}

#[test]
fn common_films_open() {
    for (name, arguments, frames, size) in [
        ("plain.mp4", format!("{SOURCE} -pix_fmt yuv420p"), 25, (320, 180)),
        (
            "odd.mkv",
            "-f lavfi -i testsrc2=size=856x484:rate=25:duration=0.4 -vf format=yuv444p,scale=853:481 -c:v ffv1 -pix_fmt yuv420p".into(),
            10,
            (853, 481),
        ),
        ("ten.mp4", format!("{SOURCE} -pix_fmt yuv420p10le"), 25, (320, 180)),
        ("one.mp4", format!("{SOURCE} -pix_fmt yuv420p -frames:v 1"), 1, (320, 180)),
        (
            "alpha.mov",
            format!("{SOURCE} -c:v prores_ks -profile:v 4444 -pix_fmt yuva444p10le -frames:v 5"),
            5,
            (320, 180),
        ),
        ("palette.gif", format!("{SOURCE} -frames:v 6"), 6, (320, 180)),
        ("vp9.webm", format!("{SOURCE} -c:v libvpx-vp9 -deadline realtime -cpu-used 8 -frames:v 8"), 8, (320, 180)),
    ] {
        let (_dir, _folder, info, prepared) = opened(name, &arguments);
        assert_eq!(prepared.table.len(), frames, "{name}");
        assert_eq!(info.size, Size::new(size.0, size.1), "{name}");
        assert!(prepared.remarks.is_empty(), "{name}: {:?}", prepared.remarks);
        assert_eq!(info.bits > 8, name == "ten.mp4" || name == "alpha.mov", "{name}: {info:?}");
        assert_eq!(info.alpha, name == "alpha.mov" || name == "palette.gif", "{name}: {info:?}");
    }
}

#[test]
fn interlaced_films_say_so() {
    let (_dir, _folder, info, _) =
        opened("fields.mp4", &format!("{SOURCE} -vf interlace -flags +ilme+ildct -c:v libx264 -pix_fmt yuv420p"));
    assert!(info.interlaced);
    let remarks = info.remarks().join(" ");
    assert!(remarks.contains("Interlaced"), "{remarks}");
    // A silent film is nothing that anybody could act on.
    assert!(info.audio.is_none() && !remarks.contains("ound"), "{remarks}");
}

#[test]
fn phone_video_stands_upright() {
    let dir = tempfile::tempdir().unwrap();
    let flat = make_film(dir.path(), "flat.mp4", &format!("{SOURCE} -pix_fmt yuv420p -frames:v 3"));
    let turned = format!("-i {} -c copy -metadata:s:v:0 rotate=90", flat.display());
    let (_dir, folder, info, prepared) = opened("phone.mp4", &turned);
    assert_eq!(info.size, Size::new(180, 320));
    assert_eq!(info.quarter_turns % 2, 1);
    let mut planes = StoredPlanes::new(folder.planes(), info.size, WhenMissing::fail());
    let all = planes.window(Frame(0), PixelRect { left: 0, top: 0, right: 999, bottom: 999 }, Component::Luma).unwrap();
    assert_eq!(all.plane.size(), Size::new(180, 320));
    assert_eq!(prepared.table.len(), 3);
}

#[test]
fn uneven_frame_times_are_exact() {
    let uneven = format!(
        "{SOURCE} -vf setpts='N*N+20*N' -fps_mode vfr -enc_time_base 1/1000 -pix_fmt yuv420p -frames:v 12 -video_track_timescale 1000"
    );
    let uneven = uneven.replace("setpts='N*N+20*N'", "settb=1/1000,setpts=N*N+20*N");
    let (_dir, _folder, _info, prepared) = opened("uneven.mp4", &uneven);
    let times: Vec<i64> = (0..12).map(|n| prepared.table.micros(Frame(n)).unwrap()).collect();
    let want: Vec<i64> = (0..12).map(|n| 1000 * (n * n + 20 * n)).collect();
    assert_eq!(times, want);
    assert!(!prepared.table.is_even());
    let (_dir, _folder, info, prepared) =
        opened("ntsc.mp4", "-f lavfi -i testsrc2=size=320x180:rate=60000/1001:duration=1 -pix_fmt yuv420p");
    assert_eq!((info.rate.num, info.rate.den), (60000, 1001));
    assert_eq!(prepared.table.micros(Frame(59)), Some(984_317));
}

#[test]
fn what_is_not_a_film_is_refused_in_words() {
    assert!(refused(b"frame,pin,x,y\n0,lamp,1,2\n").contains("not a film"), "{}", refused(b"frame,pin"));
    assert!(refused(b"").contains("not a film"));
    assert!(refused(b"#EXTM3U\n#EXTINF:1,\nfile:///etc/hostname\n").contains("not a film"));
    assert!(refused(b"ffconcat version 1.0\nfile /etc/hostname\n").contains("not a film"));
    let dir = tempfile::tempdir().unwrap();
    let whole = make_film(dir.path(), "whole.mp4", &format!("{SOURCE} -pix_fmt yuv420p"));
    let bytes = fs::read(whole).unwrap();
    assert!(refused(&bytes[..bytes.len() / 2]).contains("cut off"), "{}", refused(&bytes[..bytes.len() / 2]));
    let sound = make_film(dir.path(), "sound.mp4", "-f lavfi -i sine=duration=1");
    assert!(refused(&fs::read(sound).unwrap()).contains("no picture"));
    let dot = make_film(
        dir.path(),
        "dot.mkv",
        "-f lavfi -i testsrc2=size=64x64:rate=25:duration=0.2 -vf format=yuv444p,scale=1:1 -c:v ffv1 -pix_fmt yuv444p",
    );
    assert!(refused(&fs::read(dot).unwrap()).contains("1 x 1"));
    let none = make_film(dir.path(), "none.mkv", &format!("{SOURCE} -c:v ffv1 -frames:v 0"));
    let reason = refused(&fs::read(none).unwrap());
    assert!(
        reason.contains("empty")
            || reason.contains("no frame")
            || reason.contains("no picture")
            || reason.contains("not a film"),
        "{reason}"
    );
}

#[test]
fn a_film_cut_off_in_the_middle_opens_as_far_as_it_goes_and_says_so() {
    let dir = tempfile::tempdir().unwrap();
    let whole = make_film(dir.path(), "whole.mkv", &format!("{SOURCE} -c:v libx264 -g 5 -pix_fmt yuv420p"));
    let bytes = fs::read(whole).unwrap();
    let folder = ClipFolder::new(dir.path().join("clip"));
    fs::create_dir_all(folder.path()).unwrap();
    fs::write(folder.original(), &bytes[..bytes.len() * 6 / 10]).unwrap();
    let (_, prepared) = open(&folder).unwrap();
    assert!((3..25).contains(&prepared.table.len()), "{}", prepared.table.len());
    assert!(folder.planes().has(Frame(prepared.table.len() - 1)));
}

#[test]
fn cuts_are_found() {
    let (_dir, _folder, _info, prepared) = opened(
        "cuts.mp4",
        "-f lavfi -i testsrc2=size=320x180:rate=25:duration=0.8 -f lavfi -i mandelbrot=size=320x180:rate=25 \
         -filter_complex [1:v]trim=duration=0.6[b];[0:v][b]concat=n=2:v=1 -pix_fmt yuv420p",
    );
    assert_eq!(prepared.cuts, [Frame(20)]);
}

#[test]
fn one_picture_by_number_is_the_right_one() {
    // Grey level tells the frame: 10 + 9 n.
    let (_dir, folder, info, prepared) = opened(
        "numbered.mp4",
        "-f lavfi -i nullsrc=size=320x180:rate=25:duration=1 -vf geq=lum=10+9*N:cb=128:cr=128 -g 250 -bf 3 -pix_fmt yuv420p",
    );
    let mut planes = StoredPlanes::new(folder.planes(), info.size, WhenMissing::fail());
    let rect = PixelRect { left: 100, top: 100, right: 101, bottom: 101 };
    for n in [0, 1, 7, 13, 24] {
        let stored = i64::from(planes.window(Frame(n), rect, Component::Luma).unwrap().plane.data()[0]);
        assert!((stored - (10 + 9 * i64::from(n))).abs() <= 1, "frame {n}: {stored}");
        let jpeg = picture(&Tools::default(), &folder.original(), &info, &prepared.table, Frame(n)).unwrap();
        let path = folder.path().join("one.jpg");
        fs::write(&path, jpeg).unwrap();
        let shown = i64::from(jampin_testkit::decode_rgb(&path, 320, 180)[0][0]);
        // From studio range to full range.
        let want = ((10.0 + 9.0 * f64::from(n) - 16.0) * 255.0 / 219.0).clamp(0.0, 255.0);
        assert!((shown as f64 - want).abs() <= 3.0, "frame {n}: {shown} {want}");
    }
}

/// Decodes a film and encodes it again, unchanged.
fn rewrite(folder: &ClipFolder, info: &ClipInfo, table: &FrameTable, container: Container) -> std::path::PathBuf {
    let out = folder.path().join(format!("out.{}", container.extension()));
    let clip = folder.original();
    let range = FrameRange::new(Frame(0), Frame(table.len() - 1)).unwrap();
    let job = EncodeJob { clip: &clip, info, table, range, container, piece_of: None, out: &out };
    let tools = Tools::default();
    let mut reader = FrameReader::open(&tools, &clip, info, Cancel::default()).unwrap();
    let mut encoder = Encoder::start(&tools, &job, Cancel::default()).unwrap();
    let mut frame = RawFrame { size: info.size, data: Vec::new() };
    let mut number = 0;
    while reader.read(&mut frame).unwrap() {
        encoder.write(Frame(number), &frame.data).unwrap();
        number += 1;
    }
    encoder.finish().unwrap();
    out
}

#[test]
fn films_go_out_with_the_same_times_tags_and_sound() {
    let tagged = "-color_range tv -colorspace bt709 -color_trc bt709 -color_primaries bt709";
    let (_dir, folder, info, prepared) = opened(
        "uneven.mp4",
        &format!(
            "{SOURCE} -f lavfi -i sine=duration=1 -vf settb=1/1000,setpts=N*N+20*N -fps_mode vfr -enc_time_base \
             1/1000 -video_track_timescale 1000 -pix_fmt yuv420p -c:a aac {tagged}"
        ),
    );
    for container in [Container::Mp4, Container::Webm] {
        let out = rewrite(&folder, &info, &prepared.table, container);
        let (again, table) = probe(&Tools::default(), &out).unwrap();
        let times = |table: &FrameTable| (0..table.len()).map(|n| table.micros(Frame(n)).unwrap()).collect::<Vec<_>>();
        assert_eq!(times(&table), times(&prepared.table), "{container:?}");
        assert_eq!(again.colour, info.colour, "{container:?}");
        let codec = again.audio.expect("the sound is kept").codec;
        assert_eq!(codec, if container == Container::Mp4 { "aac" } else { "opus" });
    }
    let packets = probe_values(&folder.path().join("out.mp4"), "packet=codec_type");
    assert!(packets.iter().filter(|kind| *kind == "audio").count() > 25, "{packets:?}");
}

#[test]
fn odd_sizes_and_ntsc_rates_go_out() {
    let (_dir, folder, info, prepared) = opened(
        "odd.mkv",
        "-f lavfi -i testsrc2=size=856x484:rate=30000/1001:duration=0.4 -vf format=yuv444p,scale=853:481 -c:v ffv1 -pix_fmt yuv420p",
    );
    let mp4 = rewrite(&folder, &info, &prepared.table, Container::Mp4);
    assert_eq!(probe_values(&mp4, "stream=width,height"), ["854,482"]);
    let webm = rewrite(&folder, &info, &prepared.table, Container::Webm);
    assert_eq!(probe_values(&webm, "stream=width,height"), ["853,481"]);
    assert_eq!(probe_values(&mp4, "packet=pts").len(), prepared.table.times.len());
}

#[test]
fn preparing_can_be_cancelled() {
    let dir = tempfile::tempdir().unwrap();
    let folder = ClipFolder::new(dir.path().to_owned());
    let film = make_film(
        dir.path(),
        "long.mp4",
        "-f lavfi -i testsrc2=size=1280x720:rate=25:duration=8 -preset ultrafast -pix_fmt yuv420p",
    );
    fs::rename(film, folder.original()).unwrap();
    let tools = Tools::default();
    let (info, table) = probe(&tools, &folder.original()).unwrap();
    let cancel = Cancel::default();
    let (asked, begun) = (cancel.clone(), std::time::Instant::now());
    let result = prepare(&tools, &folder, (&info, &table), Leave::Planes, &cancel, &mut |_| asked.cancel());
    assert!(matches!(result, Err(MediaError::Cancelled)), "{result:?}");
    assert!(begun.elapsed() < Duration::from_secs(5));
}

#[test]
fn colour_planes_are_red_green_and_blue_as_the_film_says() {
    for (matrix, tag) in [("bt709", "bt709"), ("bt601", "smpte170m")] {
        let arguments = format!(
            "-f lavfi -i color=c=0xC83214:size=96x80:rate=25:duration=0.2,format=gbrp \
             -vf scale=out_color_matrix={matrix}:out_range=tv,format=yuv444p -colorspace {tag} -color_range tv -crf 4"
        );
        let (_dir, folder, info, prepared) = opened("colour.mp4", &arguments);
        assert!(!folder.has_colour(prepared.table.len()));
        let mut done = 0;
        let frames = prepared.table.len();
        let mut progress = |progress: jampin_media::Progress| done = progress.frames;
        prepare_colour(&Tools::default(), &folder, (&info, frames), &Cancel::default(), &mut progress).unwrap();
        assert!(folder.has_colour(frames) && done == frames);
        let mut planes = StoredPlanes::new(folder.planes(), info.size, WhenMissing::fail());
        let rect = PixelRect { left: 40, top: 30, right: 44, bottom: 34 };
        let wanted = [
            (Component::Red, 0xC8),
            (Component::Green, 0x32),
            (Component::Blue, 0x14),
            (Component::Saturation, 0xC8 - 0x14),
        ];
        for (component, want) in wanted {
            let value = i32::from(planes.window(Frame(2), rect, component).unwrap().plane.data()[5]);
            assert!((value - want).abs() <= 5, "{matrix} {component:?}: {value}, not {want}");
        }
    }
}

#[test]
fn colour_differences_lie_where_the_colours_do_also_in_odd_sizes_and_a_grey_film_has_none() {
    // Left half red, right half blue. Values of BT.601, limited range (ITU-R BT.601, table of 75 % and 100 % bars; from
    // memory).
    let arguments = "-f lavfi -i color=c=red:size=51x41:rate=25:duration=0.2,format=yuv444p \
         -f lavfi -i color=c=blue:size=50x41:rate=25:duration=0.2,format=yuv444p \
         -filter_complex [0][1]hstack -pix_fmt yuv444p -crf 4";
    let (_dir, folder, info, prepared) = opened("halves.mp4", arguments);
    assert!(prepared.scene.is_coloured() && folder.scene().is_some_and(|scene| scene.is_coloured()));
    let mut planes = StoredPlanes::new(folder.planes(), info.size, WhenMissing::fail());
    for (left, [want_blue, want_red]) in [(20, [90, 240]), (80, [240, 110])] {
        let rect = PixelRect { left, top: 10, right: left + 8, bottom: 20 };
        let chroma = planes.chroma(Frame(1), rect).unwrap().expect("a film in colour");
        assert_eq!((chroma.step, chroma.blue.left, chroma.blue.top, chroma.red.top), (2, left / 2, 5, 5));
        let value = |window: &jampin_core::image::Window| i32::from(window.plane.data()[6]);
        let (blue, red) = (value(&chroma.blue), value(&chroma.red));
        assert!((blue - want_blue).abs() < 8 && (red - want_red).abs() < 8, "{left}: {blue} {red}");
    }
    // Beyond the picture the nearest samples stand in.
    let corner = PixelRect { left: 96, top: 36, right: 140, bottom: 90 };
    assert!(planes.chroma(Frame(1), corner).unwrap().is_some_and(|chroma| chroma.red.plane.size().area() > 0));
    let grey = "-f lavfi -i testsrc2=size=64x48:rate=25:duration=0.2 -vf format=gray,format=yuv420p";
    let (_dir, _, _, prepared) = opened("grey.mp4", grey);
    assert!(!prepared.scene.is_coloured());
}

/// A part of a film is decoded from the keyframe before it; its planes are those that the whole film has there,
/// whatever the container.
#[test]
fn the_planes_of_a_range_are_those_of_the_whole() {
    let source = "-f lavfi -i testsrc2=size=320x180:rate=25:duration=4 -pix_fmt yuv420p";
    let films = [
        ("b.mp4", format!("{source} -c:v libx264 -g 30 -bf 3"), true),
        ("b.mkv", format!("{source} -c:v libx264 -g 250 -bf 2"), true),
        ("late.mp4", format!("{source} -c:v libx264 -g 12 -output_ts_offset 7"), true),
        ("uneven.mkv", format!("{source} -vf select='not(mod(n\\,7))+mod(n\\,3)' -fps_mode vfr -c:v libx264"), true),
        ("part.avi", format!("{source} -c:v mpeg4 -g 20"), false),
        ("part.mpg", format!("{source} -c:v mpeg2video -g 15 -bf 2"), false),
    ];
    for (name, arguments, is_sought) in films {
        let (_dir, folder, info, whole) = opened(name, &arguments);
        let range = FrameRange { first: Frame(41), last: Frame(52) };
        let dir = tempfile::tempdir().unwrap();
        let part = ClipFolder::new(dir.path().to_owned());
        fs::copy(folder.original(), part.original()).unwrap();
        let leave = Leave::PlanesOf(range);
        let tools = Tools::default();
        let prepared = prepare(&tools, &part, (&info, &whole.table), leave, &Cancel::default(), &mut |_| {}).unwrap();
        // Where a part cannot be found by its times, the whole is read.
        assert!(prepared.range == range || !is_sought, "{name}: {:?}", prepared.range);
        assert_eq!(prepared.table, whole.table, "{name}");
        assert_eq!(part.scene().is_some(), prepared.range != range, "{name}: a part is not kept for the whole");
        let rect = PixelRect { left: 0, top: 0, right: 320, bottom: 180 };
        let source = |folder: &ClipFolder| StoredPlanes::new(folder.planes(), info.size, WhenMissing::fail());
        let reader = |first| {
            let clip = folder.original();
            FrameReader::starting_at(&tools, &clip, (&info, &whole.table), first, &Cancel::default()).unwrap()
        };
        let (mut beginning, mut sought) = (reader(Frame(0)), reader(range.first));
        let mut frame = [(); 2].map(|()| RawFrame { size: info.size, data: Vec::new() });
        for number in 0..whole.table.len() {
            assert!(beginning.read(&mut frame[0]).unwrap(), "{name}");
            if number >= range.first.0 {
                assert!(sought.read(&mut frame[1]).unwrap(), "{name}");
                assert!(frame[0] == frame[1], "{name}, frame {number} read from {} on", range.first);
            }
        }
        assert!(!sought.read(&mut frame[1]).unwrap(), "{name}");
        for frame in range.frames() {
            let [wanted, got] =
                [&folder, &part].map(|folder| source(folder).window(frame, rect, Component::Luma).unwrap());
            assert_eq!(wanted.plane.data(), got.plane.data(), "{name}, frame {frame}");
        }
        assert!(!part.planes().has(Frame(10)) || prepared.range != range, "{name}: nothing is read beside the range");
    }
}

/// A decoder that gives up early is no short film: whatever it was, the frames that are missing are not taken for
/// missing in the film.
#[test]
fn a_decoder_that_ends_badly_makes_no_film_shorter() {
    let (_dir, folder, info, whole) = opened("whole.mp4", &format!("{SOURCE} -pix_fmt yuv420p"));
    let tools = tempfile::tempdir().unwrap();
    for (end, is_wanted) in [("exit 3", "exit status: 3"), ("kill -9 $$", "signal 9")] {
        let program = tools.path().join("ffmpeg");
        // Five frames of 320x180.
        fs::write(&program, format!("#!/bin/sh\nffmpeg \"$@\" | head -c 432000\n{end}\n")).unwrap();
        fs::set_permissions(&program, fs::Permissions::from_mode(0o755)).unwrap();
        let broken = Tools::at(program, "ffprobe".into());
        let ended = prepare(&broken, &folder, (&info, &whole.table), Leave::Planes, &Cancel::default(), &mut |_| {});
        let problem = ended.unwrap_err().to_string();
        assert!(problem.contains(is_wanted), "{end}: {problem}");
        assert!(folder.planes().has(Frame(whole.table.len() - 1)), "what was there is there");
    }
}
