//! How well points on filmed people, vehicles and buildings are held from one click.
//!
//! `cargo bench -p jampin-cli --profile dev --bench real -- FILMS POINTS.csv`: FILMS is a folder of films, POINTS.csv
//! has the columns `clip,point,frame,x,y,visible,accuracy_px,note` with pixel middles at whole numbers.
//! A third word names the points, a fourth where to begin: `marked,first,last,middle`, or `every`, which is once at each
//! visible label.
//! `REAL_WHOLE=1`: not from a point's first label to its last, but through the whole film, as on the bench.
//! `REAL_ABSENT=point:first-last,...`: frames on which somebody saw that a point is not in the picture; those after a
//! last label whose note begins with `out` are known.

use std::collections::BTreeMap;
use std::convert::Infallible;
use std::ops::RangeInclusive;
use std::path::Path;
use std::process::Command;
use std::time::Instant;

use jampin_core::follow::shot_part;
use jampin_core::geometry::{PixelRect, Point, Size};
use jampin_core::image::{Chroma, Component, FrameSource, Plane, Scene, SceneFinder, Window};
use jampin_core::locate::{Known, Settings, Side, View};
use jampin_core::matching::{choose_pattern, choose_search};
use jampin_core::pin::Pin;
use jampin_core::solve::{self, Solution, Unwatched};
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{Sample, SampleState, Track};
use rayon::prelude::*;

#[derive(Clone, Debug)]
struct Label {
    frame: u32,
    at: Point,
    visible: bool,
    accuracy: f64,
    marked: bool,
    /// It has left the picture, and none of these films shows it again.
    is_gone: bool,
}

struct Film {
    size: Size,
    planes: Vec<Plane>,
    /// Blue and red difference of each frame.
    chroma: Vec<[Plane; 2]>,
    scene: Scene,
    cuts: Vec<Frame>,
}

struct Shared<'a>(&'a Film);

impl FrameSource for Shared<'_> {
    type Error = Infallible;
    fn size(&self) -> Size {
        self.0.size
    }
    fn window(&mut self, frame: Frame, rect: PixelRect, _: Component) -> Result<Window, Infallible> {
        Ok(self.0.planes[frame.0 as usize].window(rect))
    }
    fn chroma(&mut self, frame: Frame, rect: PixelRect) -> Result<Option<Chroma>, Infallible> {
        let PixelRect { left, top, right, bottom } = rect;
        let half = PixelRect { left: left / 2, top: top / 2, right: right / 2 + 1, bottom: bottom / 2 + 1 };
        let [blue, red] = &self.0.chroma[frame.0 as usize];
        Ok(Some(Chroma { step: 2, blue: blue.window(half), red: red.window(half) }))
    }
}

fn film(path: &Path) -> Film {
    let words = |args: &[&str]| {
        let out = Command::new("ffprobe").args(["-v", "error", "-select_streams", "v:0"]).args(args).arg(path).output();
        String::from_utf8(out.unwrap().stdout).unwrap()
    };
    let shape = words(&["-show_entries", "stream=width,height", "-of", "csv=p=0"]);
    let mut numbers = shape.trim().split(',').map(|word| word.parse().unwrap());
    let size = Size::new(numbers.next().unwrap(), numbers.next().unwrap());
    let out = Command::new("ffmpeg")
        .args(["-v", "error", "-i"])
        .arg(path)
        .args(["-map", "0:v:0", "-fps_mode", "passthrough", "-pix_fmt", "yuv420p", "-f", "rawvideo", "pipe:1"])
        .output()
        .unwrap();
    let half = Size::new(size.width.div_ceil(2), size.height.div_ceil(2));
    let (mut planes, mut chroma) = (Vec::new(), Vec::new());
    let mut finder = SceneFinder::default();
    let mut cuts = jampin_core::image::CutFinder::default();
    for data in out.stdout.chunks_exact(size.area() + 2 * half.area()) {
        let (luma, both) = data.split_at(size.area());
        let parts = [0, 1].map(|i| Plane::new(half, both[i * half.area()..][..half.area()].to_vec()).unwrap());
        let plane = Plane::new(size, luma.to_vec()).unwrap();
        finder.push(&plane);
        parts.iter().for_each(|part| finder.push_chroma(part));
        cuts.push(&plane);
        planes.push(plane);
        chroma.push(parts);
    }
    let scene = finder.finish();
    eprintln!("{}: in colour {}, cuts {:?}", path.display(), scene.is_coloured(), cuts.cuts());
    Film { size, planes, chroma, scene, cuts: cuts.cuts().to_vec() }
}

type Points = BTreeMap<(String, String), Vec<Label>>;

fn labels(path: &str) -> Points {
    let text = std::fs::read_to_string(path).unwrap();
    let mut points = Points::new();
    for line in text.lines().skip(1).filter(|line| !line.starts_with('#')) {
        let cells: Vec<&str> = line.splitn(8, ',').collect();
        let number = |i: usize| cells[i].parse::<f64>().unwrap_or(f64::NAN);
        let label = Label {
            frame: cells[2].parse().unwrap(),
            at: Point::new(number(3) + 0.5, number(4) + 0.5),
            visible: cells[5] == "1",
            accuracy: if number(6).is_nan() { 2.0 } else { number(6) },
            marked: cells[7].starts_with("start"),
            is_gone: cells[7].starts_with("out"),
        };
        points.entry((cells[0].into(), cells[1].into())).or_default().push(label);
    }
    points.values_mut().for_each(|labels| labels.sort_by_key(|label| label.frame));
    points
}

/// Frames on which a point is not in the picture, as `REAL_ABSENT` has them.
fn absences(point: &str) -> Vec<RangeInclusive<u32>> {
    let all = std::env::var("REAL_ABSENT").unwrap_or_default();
    let one = |word: &str| {
        let (_, frames) = word.split_once(':').filter(|(name, _)| *name == point)?;
        let (first, last) = frames.split_once('-').expect("first-last");
        Some(first.parse().expect("a frame")..=last.parse().expect("a frame"))
    };
    all.split(',').filter_map(one).collect()
}

struct Score {
    held: bool,
    /// Error over standard deviation, and the deviation, of each visible label.
    sure: Vec<(f64, f64)>,
    line: String,
    /// Where it needs a correction: whether that is among the first two frames that are worth a look.
    asked: Option<bool>,
    frames: usize,
    seconds: f64,
    /// Frames on which it is not in the picture and called found, and all of those.
    absent: [usize; 2],
    labels: LabelCount,
}

/// Labels but the one that was begun at, by what became of them.
#[derive(Default)]
struct LabelCount {
    visible: usize,
    right: usize,
    far: usize,
    missing: usize,
    hidden: usize,
    hidden_found: usize,
}

impl LabelCount {
    fn of_all(scores: &[Score]) -> Self {
        let sum = |of: fn(&Self) -> usize| scores.iter().map(|score| of(&score.labels)).sum();
        Self {
            visible: sum(|labels| labels.visible),
            right: sum(|labels| labels.right),
            far: sum(|labels| labels.far),
            missing: sum(|labels| labels.missing),
            hidden: sum(|labels| labels.hidden),
            hidden_found: sum(|labels| labels.hidden_found),
        }
    }
}

impl std::fmt::Display for LabelCount {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let share = |count: usize| count as f64 * 100.0 / self.visible.max(1) as f64;
        let (right, far, missing) = (share(self.right), share(self.far), share(self.missing));
        write!(f, "labels right {right:.1} %, off by more than 8 px {far:.1} %, not found {missing:.1} %, ")?;
        write!(f, "hidden called found {} of {}", self.hidden_found, self.hidden)
    }
}

/// What is seen from one click, in both directions.
fn located(film: &Film, start: &Label, range: FrameRange, settings: Settings) -> BTreeMap<u32, Seen> {
    let mut source = Shared(film);
    let (range, part) = parts(film, start, range);
    let view = View::new(&film.scene, part, film.size, settings);
    let from = Known { frame: Frame(start.frame), at: start.at, velocity: None };
    let side = Side { from, within: range, taught: &[] };
    let later: Vec<Frame> = (start.frame + 1..=range.last.0).map(Frame).collect();
    let earlier: Vec<Frame> = (range.first.0..start.frame).rev().map(Frame).collect();
    let mut go =
        |frames: &[Frame]| side.sightings(&mut source, &view, frames, &|_| false, &mut || true).unwrap().unwrap();
    let all = go(&later).into_iter().chain(go(&earlier));
    let seen = |s: jampin_core::locate::Sighting| Seen {
        at: s.at,
        seen: s.seen,
        sd: 0.0,
        text: format!(
            "like {:.2} growth {:.2} learned {} cost {:.2} known {:.2}",
            s.likeness, s.scale, s.learned, s.cost, s.known
        ),
    };
    all.map(|sighting| (sighting.frame.0, seen(sighting))).collect()
}

struct Seen {
    at: Point,
    seen: bool,
    sd: f64,
    text: String,
}

fn parts(film: &Film, start: &Label, range: FrameRange) -> (FrameRange, FrameRange) {
    let whole = FrameRange { first: Frame(0), last: Frame(film.planes.len() as u32 - 1) };
    let part = |range| shot_part(range, &film.cuts, Frame(start.frame));
    (part(range), part(whole))
}

/// The whole of it: as `jampin track` does. With the frames that are worth a look, most doubtful first.
fn solved(film: &Film, start: &Label, range: FrameRange) -> (BTreeMap<u32, Seen>, Vec<u32>) {
    let mut source = Shared(film);
    let (range, part) = parts(film, start, range);
    let window = source.window(Frame(start.frame), PixelRect::around(start.at, 40.0, 40.0), Component::Luma).unwrap();
    let side = choose_pattern(&window, start.at).side;
    let next =
        [1, -1].into_iter().filter_map(|step| Frame(start.frame).step(step)).find(|frame| range.contains(*frame));
    let search = choose_search(&mut source, Frame(start.frame), next, start.at, side).unwrap();
    let pin = Pin::new(Default::default(), Frame(start.frame), start.at, [side; 2], [search; 2]);
    let view = solve::Film { scene: &film.scene, part };
    let solution =
        solve::solve(std::slice::from_mut(&mut source), view, &pin, &Track::new(), range, &Unwatched).unwrap();
    let Solution::Solved(track) = solution else { panic!("{solution:?}") };
    let seen = |s: Sample| Seen {
        at: s.at,
        seen: s.state == SampleState::Found,
        sd: s.covariance.worst(),
        text: format!("{:?} match {:.2} sd {:.2}", s.grasp, s.matched, s.covariance.worst()),
    };
    let worth_a_look = solve::doubts(&track, &BTreeMap::new()).iter().map(|doubt| doubt.frame.0).collect();
    (track.iter().map(|(frame, sample)| (frame.0, seen(sample))).collect(), worth_a_look)
}

/// Whether one of the first two frames worth a look lies where it is wrong: between the labels that are right. Nothing
/// where all are.
fn is_asked(labels: &[Label], is_wrong: impl Fn(&Label) -> bool, worth_a_look: &[u32]) -> Option<bool> {
    let wrong: Vec<usize> = (0..labels.len()).filter(|&i| is_wrong(&labels[i])).collect();
    let between = |i: usize| {
        let right = |label: &&Label| label.visible && !is_wrong(label);
        let before = labels[..i].iter().rev().find(right).map_or(0, |label| label.frame + 1);
        let after = labels[i..].iter().find(right).map_or(u32::MAX, |label| label.frame);
        before..after
    };
    let first_two = &worth_a_look[..worth_a_look.len().min(2)];
    (!wrong.is_empty()).then(|| wrong.iter().any(|&i| first_two.iter().any(|frame| between(i).contains(frame))))
}

fn score(film: &Film, name: &str, labels: &[Label], start: &Label, settings: Option<Settings>) -> Score {
    let last = labels.last().expect("a point has labels");
    let range = match std::env::var("REAL_WHOLE") {
        Ok(_) => FrameRange { first: Frame(0), last: Frame(film.planes.len() as u32 - 1) },
        Err(_) => FrameRange { first: Frame(labels[0].frame), last: Frame(last.frame) },
    };
    let begun = Instant::now();
    let (sightings, worth_a_look) = match settings {
        Some(settings) => (located(film, start, range, settings), Vec::new()),
        None => solved(film, start, range),
    };
    let seconds = begun.elapsed().as_secs_f64();
    let error = |label: &Label| {
        sightings.get(&label.frame).filter(|sighting| sighting.seen).map(|sighting| sighting.at.distance(label.at))
    };
    let visible: Vec<&Label> = labels.iter().filter(|label| label.visible && label.frame != start.frame).collect();
    let mut known: Vec<(f64, u32)> = visible.iter().filter_map(|label| Some((error(label)?, label.frame))).collect();
    known.sort_by(|a, b| a.0.total_cmp(&b.0));
    let missing = visible.len() - known.len();
    let middle =
        if known.is_empty() { f64::NAN } else { (known[(known.len() - 1) / 2].0 + known[known.len() / 2].0) / 2.0 };
    let worst = known.last().copied().unwrap_or((f64::NAN, 0));
    let mut accuracies: Vec<f64> = labels.iter().map(|label| label.accuracy).collect();
    accuracies.sort_by(f64::total_cmp);
    let accuracy = accuracies[accuracies.len() / 2];
    let hidden = labels.iter().filter(|label| !label.visible).count();
    let wrong = labels.iter().filter(|label| !label.visible && error(label).is_some()).count();
    let near = (2.0f64).max(2.0 * accuracy);
    let labels_seen = LabelCount {
        visible: visible.len(),
        right: known.iter().filter(|(off, _)| *off <= near).count(),
        far: known.iter().filter(|(off, _)| *off > 8.0).count(),
        missing,
        hidden,
        hidden_found: wrong,
    };
    let held = !known.is_empty() && middle <= near && worst.0 <= 8.0 && missing as f64 <= 0.1 * visible.len() as f64;
    let away = absences(name);
    let is_away = |frame: &u32| last.is_gone && *frame > last.frame || away.iter().any(|range| range.contains(frame));
    let found = sightings.iter().filter(|(frame, seen)| is_away(frame) && seen.seen).count();
    let absent = [found, sightings.keys().filter(|frame| is_away(frame)).count()];
    let line = format!(
        "{name:20} {} median {middle:6.2} worst {:6.1} at {:4} not found {missing:2} of {:2} hidden found {wrong} of {hidden} {:4.1} ms/frame",
        if held { "held" } else { "LOST" },
        worst.0,
        worst.1,
        visible.len(),
        seconds * 1e3 / f64::from(range.count())
    );
    if std::env::var("REAL_FRAMES").is_ok() {
        for (frame, seen) in &sightings {
            let state = if seen.seen { "seen" } else { "    " };
            println!("   {name} {frame:4} {state} {:6.1} {:6.1} {}", seen.at.x, seen.at.y, seen.text);
        }
    }
    if std::env::var("REAL_TRACE").is_ok() {
        for label in labels {
            let sighting = sightings.get(&label.frame);
            println!(
                "   {name} {:4} {} label {:6.1} {:6.1} {:?}",
                label.frame,
                u8::from(label.visible),
                label.at.x,
                label.at.y,
                sighting.map(|s| format!(
                    "{} {:6.1} {:6.1} off {:5.1} {}",
                    if s.seen { "seen" } else { "    " },
                    s.at.x,
                    s.at.y,
                    s.at.distance(label.at),
                    s.text
                ))
            );
        }
    }
    let sure = visible.iter().filter_map(|label| {
        let seen = sightings.get(&label.frame).filter(|seen| seen.seen && seen.sd > 0.0)?;
        // The labels' own errors, of this one and of the one clicked on: their greatest are taken for two deviations.
        let sd = seen.sd.hypot(label.accuracy / 2.0).hypot(start.accuracy / 2.0);
        Some((seen.at.distance(label.at) / (sd * 2f64.sqrt()), seen.sd))
    });
    let sure = sure.collect();
    let is_wrong =
        |label: &Label| label.visible && label.frame != start.frame && error(label).is_none_or(|off| off > 8.0);
    let asked = is_asked(labels, is_wrong, &worth_a_look).filter(|_| settings.is_none() && !held);
    let line = if absent[1] > 0 { format!("{line}, found when away {} of {}", absent[0], absent[1]) } else { line };
    let line = format!("{line} {}", asked.map_or("", |asked| if asked { "asked" } else { "NOT ASKED" }));
    Score { held, sure, line, asked, frames: range.count() as usize, seconds, absent, labels: labels_seen }
}

/// Share of the labels within one and two standard deviations (of a direction), in bins of the deviation.
fn calibration(sure: &mut [(f64, f64)]) {
    sure.sort_by(|a, b| a.1.total_cmp(&b.1));
    for bin in sure.chunks(sure.len().div_ceil(4).max(1)) {
        let within =
            |times: f64| bin.iter().filter(|(over, _)| *over <= times).count() as f64 * 100.0 / bin.len() as f64;
        let (first, last) = (bin[0].1, bin[bin.len() - 1].1);
        println!(
            "  sd {first:.2} to {last:.2} px, {} labels: {:.0} % within one, {:.0} % within two",
            bin.len(),
            within(1.0),
            within(2.0)
        );
    }
}

fn starts_of<'a>(labels: &'a [Label], which: &str) -> Vec<&'a Label> {
    let clear: Vec<&Label> = labels.iter().filter(|label| label.visible).collect();
    match which {
        "every" => clear,
        "first" => vec![clear[0]],
        "last" => vec![clear[clear.len() - 1]],
        "middle" => vec![clear[clear.len() / 2]],
        _ => vec![clear.iter().find(|label| label.marked).unwrap_or(&clear[0])],
    }
}

/// What is solved, by name, with which settings of where the subject is; `None` for the whole solve. `REAL_ROUGH` asks
/// for only that, as it is or `REAL_WITHOUT` one of the parts by its name; `REAL_LEAVE_OUT` for all, one after the
/// other.
fn settings() -> Vec<(&'static str, Option<Settings>)> {
    let usual = Settings::default();
    let left_out = [
        ("no beam: one way", Settings { beam: 1, ..usual }),
        ("never hidden", Settings { hidden: false, ..usual }),
        ("no empty scene", Settings { plate: false, ..usual }),
        ("no size", Settings { scale: false, ..usual }),
        ("copies as frames", Settings { copies: false, ..usual }),
        ("no pace", Settings { pace: false, ..usual }),
        ("no camera", Settings { camera: false, ..usual }),
        ("no key pictures", Settings { strange: false, ..usual }),
        ("no colour", Settings { colour: false, ..usual }),
        ("no leaps", Settings { leaps: false, ..usual }),
        ("no alibi", Settings { alibi: false, ..usual }),
        ("any return", Settings { wary_of_returns: false, ..usual }),
        ("no ring", Settings { ring: false, ..usual }),
        ("box two thirds", Settings { side: 0.67, ..usual }),
        ("box four thirds", Settings { side: 1.33, ..usual }),
    ];
    let left_out = left_out.map(|(what, settings)| (what, Some(settings)));
    let only = ("only where it is", Some(usual));
    if std::env::var("REAL_ROUGH").is_ok() {
        let without = std::env::var("REAL_WITHOUT").unwrap_or_default();
        return vec![left_out.into_iter().find(|(what, _)| *what == without).unwrap_or(only)];
    }
    let mut all = vec![("all of it", None)];
    if std::env::var("REAL_LEAVE_OUT").is_ok() {
        all.push(only);
        all.extend(left_out);
    }
    all
}

fn main() {
    let words: Vec<String> = std::env::args().skip(1).filter(|word| word != "--bench").collect();
    let (films, points) = (Path::new(&words[0]), labels(&words[1]));
    let only: Option<Vec<&str>> = words.get(2).filter(|w| !w.is_empty()).map(|names| names.split(',').collect());
    let starts: Vec<&str> = words.get(3).map_or("marked,first,last,middle", String::as_str).split(',').collect();
    let mut names: Vec<&String> = points.keys().map(|(clip, _)| clip).collect();
    names.dedup();
    let all: BTreeMap<&String, Film> = names.par_iter().map(|name| (*name, film(&films.join(name)))).collect();
    let settings = settings();
    let verbose = settings.len() == 1;
    for (what, settings) in settings {
        let mut summary = Vec::new();
        let mut sure: Vec<(f64, f64)> = Vec::new();
        let mut asked: Vec<bool> = Vec::new();
        for which in &starts {
            let wanted: Vec<_> = points
                .iter()
                .filter(|((_, point), _)| only.as_ref().is_none_or(|only| only.contains(&point.as_str())))
                .flat_map(|(key, labels)| starts_of(labels, which).into_iter().map(move |start| (key, labels, start)))
                .collect();
            let scores: Vec<Score> = wanted
                .par_iter()
                .map(|((clip, point), labels, start)| score(&all[clip], point, labels, start, settings))
                .collect();
            if verbose {
                println!("-- {which}");
                scores.iter().for_each(|score| println!("{}", score.line));
            }
            asked.extend(scores.iter().filter_map(|score| score.asked));
            sure.extend(scores.iter().flat_map(|score| &score.sure));
            let held = scores.iter().filter(|score| score.held).count();
            let frames: usize = scores.iter().map(|score| score.frames).sum();
            let seconds: f64 = scores.iter().map(|score| score.seconds).sum();
            let [found, absent] = [0, 1].map(|i| scores.iter().map(|score| score.absent[i]).sum::<usize>());
            println!("{which}: {}", LabelCount::of_all(&scores));
            if absent > 0 {
                println!("{which}: called found on {found} of {absent} frames on which it is not in the picture");
            }
            summary.push(format!(
                "{which} {held} of {} ({:.1} ms a frame)",
                scores.len(),
                seconds * 1e3 / frames as f64
            ));
        }
        println!("{what:18}: {}", summary.join(", "));
        if !asked.is_empty() {
            let count = asked.iter().filter(|asked| **asked).count();
            println!("  a correction is needed: among the first two worth a look in {count} of {}", asked.len());
        }
        calibration(&mut sure);
    }
}
