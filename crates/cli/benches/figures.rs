//! Films in and out, for docs/benchmarks.md: `cargo bench -p jampin-cli --bench figures`. Each is put against ffmpeg
//! doing the same in the same run, because machines differ and are shared. Needs the demo films (`jampin demo
//! --films-only`).

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::sync::Arc;
use std::time::Instant;

use jampin_core::attachment::{Attachment, AttachmentKind};
use jampin_core::attachment::{Boundary, Corner, Label};
use jampin_core::document::{Shot, Subject};
use jampin_core::follow::{Continue, Direction, FollowSink, Start, follow};
use jampin_core::geometry::{PixelRect, Point, Size};
use jampin_core::image::{Component, FrameSource, Plane};
use jampin_core::motion::CarriedPoint;
use jampin_core::pin::Pin;
use jampin_core::scene::Scene;
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{Sample, Track};
use jampin_jobs::{Footage, Painting, Product, paint_film};
use jampin_media::{
    Cancel, ClipFolder, ClipInfo, Container, FrameTable, Leave, StoredPlanes, Tools, WhenMissing, first_picture,
    prepare, probe,
};
use jampin_render::Typesetter;
use uuid::Uuid;

fn main() {
    let demo = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../.local/demo");
    let film = demo.join("Platform.mp4");
    assert!(film.exists(), "make the demo films first: jampin demo --films-only");
    let scratch = tempfile::tempdir().unwrap();
    println!("| what | figure | against | ratio |\n| --- | --- | --- | --- |");
    let large = enlarged(&film, scratch.path());
    first_frame(&large);
    let clip = preparing("1920x1080", &large, &scratch.path().join("large"));
    let small = preparing("1280x720", &film, &scratch.path().join("small"));
    following(&clip, &large);
    if std::env::args().any(|word| word == "media") {
        return planes(&clip);
    }
    if std::env::args().any(|word| word == "export") {
        return exporting(&clip, &CONTAINERS[..1]);
    }
    exporting(&clip, &CONTAINERS[..1]);
    exporting(&small, &CONTAINERS);
    planes(&clip);
}

fn row(what: &str, figure: String, against: &str, ratio: String) {
    println!("| {what} | {figure} | {against} | {ratio} |");
}

fn seconds<T>(work: impl FnOnce() -> T) -> (f64, T) {
    let begun = Instant::now();
    let result = work();
    (begun.elapsed().as_secs_f64(), result)
}

fn ffmpeg(arguments: &str, input: &Path, output: &[&str]) -> f64 {
    let run = || {
        let mut command = Command::new("ffmpeg");
        command.args(["-nostdin", "-loglevel", "error", "-y"]).args(arguments.split_whitespace()).arg("-i").arg(input);
        let status = command.args(output).stdout(Stdio::null()).status().unwrap();
        assert!(status.success());
    };
    seconds(run).0
}

/// Thirty seconds of 1920x1080 at 25 frames a second, long-GOP H.264.
fn enlarged(film: &Path, folder: &Path) -> PathBuf {
    let out = folder.join("large.mp4");
    let options =
        ["-vf", "scale=1920:1080:flags=bicubic,noise=alls=4:allf=t", "-frames:v", "750", "-an", "-c:v", "libx264"];
    let more = ["-preset", "veryfast", "-crf", "19", "-g", "250", "-pix_fmt", "yuv420p", out.to_str().unwrap()];
    ffmpeg("-stream_loop 3", film, &[&options[..], &more[..]].concat());
    out
}

struct Clip {
    folder: ClipFolder,
    info: ClipInfo,
    table: FrameTable,
}

fn clip_of(film: &Path, folder: &Path) -> Clip {
    std::fs::create_dir_all(folder).unwrap();
    let folder = ClipFolder::new(folder.to_owned());
    if !folder.original().exists() {
        std::os::unix::fs::symlink(film, folder.original()).unwrap();
    }
    let (info, table) = probe(&Tools::default(), &folder.original()).unwrap();
    Clip { folder, info, table }
}

fn first_frame(film: &Path) {
    let folder = tempfile::tempdir().unwrap();
    let work = || {
        let clip = clip_of(film, folder.path());
        first_picture(&Tools::default(), &clip.folder, &clip.info).unwrap();
    };
    let (time, ()) = seconds(work);
    row("first frame of 30 s of 1920x1080 after its upload", format!("{time:.2} s"), "aim: 1 s", format!("{time:.2}"));
}

fn preparing(name: &str, film: &Path, folder: &Path) -> Clip {
    let clip = clip_of(film, folder);
    let plain = ffmpeg("", film, &["-f", "null", "-"]);
    let tools = Tools::default();
    let pass = |leave| {
        let cancel = Cancel::default();
        prepare(&tools, &clip.folder, (&clip.info, &clip.table), leave, &cancel, &mut |_| {}).unwrap();
    };
    let (both, ()) = seconds(|| pass(Leave::PicturesAndPlanes));
    let (only, ()) = seconds(|| pass(Leave::Planes));
    let frames = f64::from(clip.table.len());
    let against = format!("ffmpeg to nothing, {:.0} frames/s", frames / plain);
    row(
        &format!("{name}: pictures and planes"),
        format!("{:.0} frames/s", frames / both),
        &against,
        format!("{:.2}x the time", both / plain),
    );
    row(
        &format!("{name}: planes alone"),
        format!("{:.0} frames/s", frames / only),
        &against,
        format!("{:.2}x the time", only / plain),
    );
    clip
}

struct Keep(Track);

impl FollowSink for Keep {
    fn sample(&mut self, frame: Frame, sample: Sample) -> Continue {
        self.0.set(frame, Some(sample));
        Continue::Yes
    }
}

fn pin(frame: u32, at: Point, side: u32, search: u32) -> Pin {
    Pin::new(Uuid::from_u128(1), Frame(frame), at, [side; 2], [search; 2])
}

/// Frames of 1920x1080 that are followed.
const FOLLOWED: u32 = 250;

fn following(clip: &Clip, film: &Path) {
    let mut planes = StoredPlanes::new(clip.folder.planes(), clip.info.size, WhenMissing::fail());
    // The clock on the wall of the station, enlarged by a half.
    let pin = pin(0, Point::new(1500.0, 368.0), 31, 64);
    let mut keep = Keep(Track::new());
    let last = Frame(FOLLOWED - 1);
    let work = || follow(&mut planes, &pin, &Start::at_pin(&pin), Direction::Forward, last, &mut keep).unwrap();
    let (time, end) = seconds(work);
    assert_eq!(keep.0.len() as u32, FOLLOWED - 1, "{end:?}");
    let plain = ffmpeg("", film, &["-frames:v", &FOLLOWED.to_string(), "-f", "null", "-"]);
    let what = format!("1 pin over {FOLLOWED} prepared frames of 1920x1080, planes read from disk");
    row(
        &what,
        format!("{:.0} us/frame", time * 1e6 / f64::from(FOLLOWED)),
        "ffmpeg decoding them to nothing",
        format!("{:.2}x the time", time / plain),
    );
}

/// Five corners round the middle of the picture, carried by the pin.
fn corners(size: Size) -> Vec<CarriedPoint> {
    let (width, height) = (f64::from(size.width), f64::from(size.height));
    let corner = |(i, (x, y)): (usize, (f64, f64))| {
        CarriedPoint::new(Uuid::from_u128(10 + i as u128), Frame(0), Point::new(x * width, y * height))
    };
    let places = [(0.2, 0.25), (0.6, 0.2), (0.75, 0.5), (0.55, 0.8), (0.25, 0.7)];
    places.into_iter().enumerate().map(corner).collect()
}

/// A line as usual through them.
fn round(size: Size) -> Attachment {
    let through = corners(size).iter().map(|point| Corner::Point(point.id)).collect();
    let kind = AttachmentKind::Boundary(Box::new(Boundary::through(through, true)));
    Attachment::new(Uuid::from_u128(20), kind)
}

/// Containers with the encoder settings that we use for them.
const CONTAINERS: [(Container, &str); 2] = [
    (Container::Mp4, "-c:v libx264 -preset fast -crf 17 -c:a copy"),
    (Container::Webm, "-c:v libvpx-vp9 -b:v 0 -crf 24 -deadline good -cpu-used 4 -row-mt 1 -c:a libopus"),
];

fn exporting(clip: &Clip, containers: &[(Container, &str)]) {
    let out = clip.folder.path().join("out.mp4");
    let film = clip.folder.original();
    let place = |n: u32| (Frame(n), Sample::guide(Point::new(300.0 + 2.0 * f64::from(n), 360.0)));
    let attachment = Attachment::label(Uuid::from_u128(2), Label::named("Guard Pell"));
    let subject = Subject {
        pins: vec![pin(0, Point::new(300.0, 360.0), 31, 24)],
        attachments: vec![attachment, round(clip.info.size)],
        points: corners(clip.info.size),
        ..Subject::new(Uuid::from_u128(3), "Guard", 'A', 0)
    };
    let shot = Shot {
        subjects: vec![subject],
        tracks: [(Uuid::from_u128(1), Arc::new((0..clip.table.len()).map(place).collect()))].into(),
        ..Shot::default()
    };
    let Size { width, height } = clip.info.size;
    let range = FrameRange { first: Frame(0), last: Frame(clip.table.len() - 1) };
    let frames = f64::from(clip.table.len());
    for &(container, settings) in containers {
        let plain_out = out.with_extension(format!("plain.{}", container.extension()));
        let settings: Vec<&str> = settings.split(' ').chain([plain_out.to_str().unwrap()]).collect();
        let plain = ffmpeg("", &film, &settings);
        let typesetter = Typesetter::default();
        let painting = Painting {
            clip: &film,
            info: &clip.info,
            table: &clip.table,
            range,
            scene: &Scene::new(&shot, clip.info.size, range, &typesetter),
            typesetter: &typesetter,
            footage: &Footage::default(),
            product: Product::Film(container),
            name: "out",
            piece_of: None,
            out: &out,
        };
        let (time, written) =
            seconds(|| paint_film(&Tools::default(), &painting, &Cancel::default(), &mut |_| {}).unwrap());
        assert_eq!(written, clip.table.len());
        let against = format!("ffmpeg alone, same settings, {:.1} frames/s", frames / plain);
        row(
            &format!("export {width}x{height} {container:?} with a label and a boundary line"),
            format!("{:.1} frames/s", frames / time),
            &against,
            format!("{:.2}x the speed", plain / time),
        );
    }
}

/// What else planes could be: for docs/decisions.md.
fn planes(clip: &Clip) {
    let size = clip.info.size;
    let whole = PixelRect { left: 0, top: 0, right: size.width as i32, bottom: size.height as i32 };
    let near = PixelRect { left: 900, top: 400, right: 1060, bottom: 560 };
    let mut stored = StoredPlanes::new(clip.folder.planes(), size, WhenMissing::fail());
    let raw: Vec<Plane> =
        (0..20).map(|n| stored.window(Frame(n * 10), whole, Component::Luma).unwrap().plane).collect();
    let count = raw.len() as f64;
    let bytes = size.area() as f64 * count;
    let report = |what: &str, packed: f64, pack: f64, read: f64| {
        let figure = format!("{:.2}x smaller, {:.1} ms to write", bytes / packed, pack * 1e3 / count);
        row(what, figure, "a neighbourhood of 160x160 read back", format!("{:.2} ms", read * 1e3 / count));
    };
    let (pack, lz4) = seconds(|| raw.iter().map(|p| lz4_flex::block::compress(p.data())).collect::<Vec<_>>());
    let (read, ()) = seconds(|| lz4.iter().for_each(|b| drop(lz4_flex::block::decompress(b, size.area()).unwrap())));
    report("planes: lz4, whole", lz4.iter().map(Vec::len).sum::<usize>() as f64, pack, read);
    let folder = clip.folder.path().join("again");
    let again = jampin_media::PlaneFolder::new(folder);
    again.create().unwrap();
    let (pack, ()) = seconds(|| raw.iter().enumerate().for_each(|(n, p)| again.write(Frame(n as u32), p).unwrap()));
    let mut reader = StoredPlanes::new(again, size, WhenMissing::fail());
    let (read, ()) = seconds(|| (0..20).for_each(|n| drop(reader.window(Frame(n), near, Component::Luma).unwrap())));
    report(
        "planes: lz4 in tiles of 256x64 (ours)",
        clip.folder.plane_bytes() as f64 / f64::from(clip.table.len()) * count,
        pack,
        read,
    );
    let intra = clip.folder.path().join("intra.mkv");
    let all_intra = ffmpeg(
        "",
        &clip.folder.original(),
        &["-frames:v", "100", "-vf", "extractplanes=y", "-c:v", "ffv1", "-g", "1", intra.to_str().unwrap()],
    );
    let length = intra.metadata().unwrap().len() as f64;
    let seek = (0..5)
        .map(|n| ffmpeg(&format!("-ss {}", f64::from(n) * 0.7), &intra, &["-frames:v", "1", "-f", "null", "-"]))
        .sum::<f64>()
        / 5.0;
    let figure = format!("{:.2}x smaller, {:.1} ms to write", size.area() as f64 * 100.0 / length, all_intra * 10.0);
    row(
        "planes: all-intra FFV1 file",
        figure,
        "one frame read back, with starting ffmpeg",
        format!("{:.0} ms", seek * 1e3),
    );
    let tools = Tools::default();
    let far =
        |n: u32| jampin_media::picture(&tools, &clip.folder.original(), &clip.info, &clip.table, Frame(n)).unwrap();
    let (time, _) = seconds(|| far(249));
    row(
        "planes: none, decode again",
        "nothing kept".into(),
        "the frame before a keyframe read back",
        format!("{:.0} ms", time * 1e3),
    );
}
