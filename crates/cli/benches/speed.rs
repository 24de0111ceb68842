//! How fast the engine is: planes in memory; one thread, where no more are named.
//!
//! `target/debug/jampin demo --films-only` makes the film; then `cargo bench -p jampin-cli --profile dev --bench
//! speed`. With `-- pin` (or `sizes`, `pictures`, `many`, `guide`) only that part; with `-- --frames FOLDER` the frames
//! and pins are written down too, for `opencv_speed.py`, which says what OpenCV takes for them.

use std::io::Write;
use std::path::Path;
use std::time::Instant;

use jampin_core::follow::{Continue, Direction, FollowSink, Start, follow};
use jampin_core::geometry::{PixelRect, Point, Size};
use jampin_core::image::{Component, FrameSource, Plane, PlaneStack, Scene};
use jampin_core::matching::good_spots;
use jampin_core::pin::Pin;
use jampin_core::solve::{Film, Solution, Unwatched, affected, solve};
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{Sample, Track};
use jampin_media::{Cancel, ClipFolder, Leave, StoredPlanes, Tools, WhenMissing, prepare, probe};

/// Frames of the demo film that are used.
const FRAMES: u32 = 225;
const ALL: FrameRange = FrameRange { first: Frame(0), last: Frame(FRAMES - 1) };

fn main() {
    let words: Vec<String> = std::env::args().skip(1).collect();
    let folder = words.iter().position(|word| word == "--frames").map(|i| Path::new(&words[i + 1]).to_owned());
    let mut film = film();
    let spots = spots(&mut film);
    if let Some(folder) = folder {
        export(&folder, &film, &spots);
    }
    println!("| what | figure | against |");
    println!("| --- | --- | --- |");
    let only = words.iter().find(|word| ["pin", "sizes", "pictures", "many", "guide"].contains(&word.as_str()));
    let wanted = |part: &str| only.is_none_or(|only| only == part);
    if wanted("pin") {
        one_pin(&mut film, spots[0]);
    }
    if wanted("sizes") {
        sizes(&mut film, spots[0]);
    }
    if wanted("pictures") {
        pictures(&film, spots[0]);
    }
    if wanted("many") {
        many_pins(&mut film, &spots);
    }
    if wanted("guide") {
        guide(&film, spots[0]);
    }
}

/// One that nothing is known of as a whole: the exact part is timed.
fn scene() -> &'static Scene {
    static UNKNOWN: std::sync::LazyLock<Scene> = std::sync::LazyLock::new(Scene::default);
    &UNKNOWN
}

fn row(what: &str, figure: String, against: &str) {
    println!("| {what} | {figure} | {against} |");
}

fn film() -> PlaneStack {
    let source = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../.local/demo/Passing loop.mp4");
    let dir = tempfile::tempdir().unwrap();
    let folder = ClipFolder::new(dir.path().to_owned());
    std::os::unix::fs::symlink(source.canonicalize().expect("make the demo films first"), folder.original()).unwrap();
    let tools = Tools::default();
    let (info, table) = probe(&tools, &folder.original()).unwrap();
    prepare(&tools, &folder, (&info, &table), Leave::Planes, &Cancel::default(), &mut |_| {}).unwrap();
    let mut planes = StoredPlanes::new(folder.planes(), info.size, WhenMissing::fail());
    let whole = whole(info.size);
    let frames = (0..FRAMES).map(|n| planes.window(Frame(n), whole, Component::Luma).unwrap().plane);
    PlaneStack::new(frames.collect()).unwrap()
}

fn whole(size: Size) -> PixelRect {
    PixelRect { left: 0, top: 0, right: size.width as i32, bottom: size.height as i32 }
}

/// The best spots of the first frame, away from the border.
fn spots(film: &mut PlaneStack) -> Vec<Point> {
    let size = film.size();
    let window = film.window(Frame(0), whole(size), Component::Luma).unwrap();
    let inner = PixelRect { left: 80, top: 80, right: size.width as i32 - 80, bottom: size.height as i32 - 80 };
    let spots: Vec<Point> = good_spots(&window, inner, 31, 16, 64).iter().map(|spot| spot.at).collect();
    assert_eq!(spots.len(), 64);
    spots
}

fn pin(at: Point, side: u32, search: u32) -> Pin {
    Pin::new(Default::default(), Frame(0), at, [side; 2], [search; 2])
}

/// Seconds of the fastest of three runs: the machine is shared.
fn fastest(mut work: impl FnMut()) -> f64 {
    let mut once = || {
        let begun = Instant::now();
        work();
        begun.elapsed().as_secs_f64()
    };
    (0..3).map(|_| once()).fold(f64::INFINITY, f64::min)
}

fn solved(film: &mut PlaneStack, pin: &Pin, range: FrameRange, track: &Track) -> Track {
    match solve(std::slice::from_mut(film), Film { scene: scene(), part: ALL }, pin, track, range, &Unwatched).unwrap()
    {
        Solution::Solved(track) => track,
        other => panic!("{other:?}"),
    }
}

/// Microseconds a frame, and the share of frames found.
fn cost(film: &mut PlaneStack, pin: &Pin) -> (f64, f64) {
    let mut found = 0;
    let time = fastest(|| {
        let track = solved(film, pin, ALL, &Track::new());
        found = track.iter().filter(|(_, sample)| sample.state.is_present()).count();
    });
    (time * 1e6 / f64::from(FRAMES), found as f64 / f64::from(FRAMES))
}

struct Keep(Track);

impl FollowSink for Keep {
    fn sample(&mut self, frame: Frame, sample: Sample) -> Continue {
        self.0.set(frame, Some(sample));
        Continue::Yes
    }
}

fn one_pin(film: &mut PlaneStack, at: Point) {
    let pin = pin(at, 31, 64);
    let mut followed = 0;
    let live = fastest(|| {
        let mut keep = Keep(Track::new());
        follow(film, &pin, &Start::at_pin(&pin), Direction::Forward, ALL.last, &mut keep).unwrap();
        followed = keep.0.len();
    });
    let live = live * 1e6 / followed as f64;
    row("live pass, 31x31, search 64 px", format!("{live:.0} us/frame"), &format!("aim 250 us: {:.2}x", live / 250.0));
    let (time, found) = cost(film, &pin);
    let against = format!("aim 250 us: {:.2}x; {:.0} % found", time / 250.0, found * 100.0);
    row("whole-shot solve, 31x31, search 64 px", format!("{time:.0} us/frame"), &against);
}

fn sizes(film: &mut PlaneStack, at: Point) {
    for (side, search) in [(21, 64), (51, 64), (71, 64), (31, 16), (31, 32), (31, 128), (31, 256)] {
        let (time, _) = cost(film, &pin(at, side, search));
        row(&format!("whole-shot solve, {side}x{side}, search {search} px"), format!("{time:.0} us/frame"), "");
    }
}

/// The same pin in a smaller and in a larger picture: its cost must not change.
fn pictures(film: &PlaneStack, at: Point) {
    let size = film.size();
    let (left, top) = ((at.x as u32 - 160) / 2 * 2, (at.y as u32).saturating_sub(120).min(size.height - 240));
    let cut =
        |plane: &Plane| Plane::from_fn(Size::new(320, 240), |x, y| plane.row((y + top) as usize)[(x + left) as usize]);
    let small = PlaneStack::new(film.planes().iter().take(60).map(cut).collect()).unwrap();
    let twice = |plane: &Plane| {
        Plane::from_fn(Size::new(size.width * 2, size.height * 2), |x, y| {
            plane.row((y % size.height) as usize)[(x % size.width) as usize]
        })
    };
    let large = PlaneStack::new(film.planes().iter().take(60).map(twice).collect()).unwrap();
    let same = PlaneStack::new(film.planes()[..60].to_vec()).unwrap();
    let here = Point::new(at.x - f64::from(left), at.y - f64::from(top));
    let range = FrameRange { first: Frame(0), last: Frame(59) };
    for (mut stack, at) in [(small, here), (same, at), (large, at)] {
        let pin = pin(at, 31, 32);
        let time = fastest(|| drop(solved(&mut stack, &pin, range, &Track::new())));
        let Size { width, height } = stack.size();
        row(
            &format!("31x31, search 32 px, picture {width}x{height}"),
            format!("{:.0} us/frame", time * 1e6 / 60.0),
            "",
        );
    }
}

fn many_pins(film: &mut PlaneStack, spots: &[Point]) {
    for count in [1, 8, 64] {
        let time = fastest(|| {
            for at in &spots[..count] {
                let mut keep = Keep(Track::new());
                let pin = pin(*at, 31, 24);
                follow(film, &pin, &Start::at_pin(&pin), Direction::Forward, ALL.last, &mut keep).unwrap();
            }
        });
        let solve =
            fastest(|| spots[..count].iter().for_each(|at| drop(solved(film, &pin(*at, 31, 24), ALL, &Track::new()))));
        let each = |time: f64| time * 1e6 / f64::from(FRAMES) / count as f64;
        let figure = format!("live {:.0}, solve {:.0} us/frame and pin", each(time), each(solve));
        row(&format!("{count} pins, 31x31, search 24 px"), figure, "opencv_speed.py");
    }
}

/// A guide moved in the middle of 300 frames: only what depends on it is solved again. The film is played to its end
/// and back.
fn guide(film: &PlaneStack, at: Point) {
    const LONG: u32 = 300;
    let there_and_back = (0..LONG).map(|n| if n < FRAMES { n } else { 2 * FRAMES - 2 - n });
    let planes = there_and_back.map(|n| film.planes()[n as usize].clone()).collect();
    let mut sources = vec![PlaneStack::new(planes).unwrap()];
    let all = FrameRange { first: Frame(0), last: Frame(LONG - 1) };
    let pin = pin(at, 31, 32);
    let Solution::Solved(solved) =
        solve(&mut sources, Film { scene: scene(), part: ALL }, &pin, &Track::new(), all, &Unwatched).unwrap()
    else {
        panic!("not solved")
    };
    sources.push(sources[0].clone());
    for guides in [vec![LONG / 2], vec![LONG / 4, LONG / 2, LONG * 3 / 4]] {
        let mut track = solved.clone();
        for frame in &guides {
            let place = track.get(Frame(*frame)).unwrap().at;
            track.set(Frame(*frame), Some(Sample::guide(place)));
        }
        let range = affected(&pin, &track, Frame(LONG / 2), all);
        for threads in [1, 2] {
            let time = fastest(|| {
                drop(
                    solve(&mut sources[..threads], Film { scene: scene(), part: ALL }, &pin, &track, range, &Unwatched)
                        .unwrap(),
                )
            });
            let count = range.count();
            let what =
                format!("guide moved, {} of them, {count} frames to solve again, {threads} threads", guides.len());
            row(&what, format!("{:.0} ms", time * 1e3), "aim 200 ms for 300 frames");
        }
    }
}

fn export(folder: &Path, film: &PlaneStack, spots: &[Point]) {
    std::fs::create_dir_all(folder).unwrap();
    let mut file = std::fs::File::create(folder.join("speed.grey")).unwrap();
    film.planes().iter().for_each(|plane| file.write_all(plane.data()).unwrap());
    let Size { width, height } = film.size();
    let spots: Vec<[f64; 2]> = spots.iter().map(|at| [at.x, at.y]).collect();
    let value = serde_json::json!({ "width": width, "height": height, "frames": FRAMES, "side": 31, "spots": spots });
    std::fs::write(folder.join("speed.json"), value.to_string()).unwrap();
}
