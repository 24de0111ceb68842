//! Points: how well they are held from one click.

use std::collections::BTreeMap;
use std::time::Instant;

use jampin_core::geometry::{PixelRect, Point};
use jampin_core::image::{Component, FrameSource};
use jampin_core::locate::{Known, Settings, Side, View};
use jampin_core::matching::{choose_pattern, choose_search};
use jampin_core::pin::Pin;
use jampin_core::solve::{self, Solution, Unwatched};
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{Sample, SampleState, Track};

use crate::film::{Film, Shared};
use crate::labels::{Away, FAR, Label, LabelCount, asked_for, usual_accuracy};

/// How one was held.
pub struct Score {
    pub held: bool,
    /// Error over standard deviation, and the deviation, of each visible label.
    pub sure: Vec<(f64, f64)>,
    pub line: String,
    /// Where it needs a correction: whether that is among the first two frames that are worth a look.
    pub asked: Option<bool>,
    pub frames: usize,
    pub seconds: f64,
    pub away: Away,
    pub labels: LabelCount,
}

/// What is seen from one click, in both directions.
fn located(film: &Film, start: &Label, range: FrameRange, settings: Settings) -> BTreeMap<u32, Seen> {
    let mut source = Shared(film);
    let (range, part) = film.parts(Frame(start.frame), range);
    let view = View::new(solve::Film { scene: &film.scene, part }, film.size, settings);
    let from = Known { frame: Frame(start.frame), at: start.at };
    let side = Side { from, taught: &[] };
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

/// The whole of it: as `jampin track` does. With the frames that are worth a look, most doubtful first.
fn solved(film: &Film, start: &Label, range: FrameRange) -> (BTreeMap<u32, Seen>, Vec<u32>) {
    let mut source = Shared(film);
    let (range, part) = film.parts(Frame(start.frame), range);
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

/// Follows one from a label.
pub fn score(film: &Film, name: &str, labels: &[Label], start: &Label, settings: Option<Settings>) -> Score {
    let range = asked_for(labels, film.whole());
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
    let hidden = labels.iter().filter(|label| !label.visible).count();
    let wrong = labels.iter().filter(|label| !label.visible && error(label).is_some()).count();
    let near = (2.0f64).max(2.0 * usual_accuracy(labels));
    let held = !known.is_empty() && middle <= near && worst.0 <= FAR && missing as f64 <= 0.1 * visible.len() as f64;
    let away = Away::of(name, labels, sightings.iter().map(|(frame, seen)| (*frame, seen.seen)));
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
        |label: &Label| label.visible && label.frame != start.frame && error(label).is_none_or(|off| off > FAR);
    let asked = is_asked(labels, is_wrong, &worth_a_look).filter(|_| settings.is_none() && !held);
    let line = format!("{line}{}", away.in_line());
    let line = format!("{line} {}", asked.map_or("", |asked| if asked { "asked" } else { "NOT ASKED" }));
    Score {
        held,
        sure,
        line,
        asked,
        frames: range.count() as usize,
        seconds,
        away,
        labels: LabelCount::of(labels, start, error),
    }
}

/// Share of the labels within one and two standard deviations (of a direction), in bins of the deviation.
pub fn calibration(sure: &mut [(f64, f64)]) {
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
