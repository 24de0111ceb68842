//! Areas: how well a box about a point, drawn blindly, is held from one frame.

use std::collections::BTreeMap;
use std::time::Instant;

use jampin_core::area::{AreaEnd, AreaTask, Outline, solve_area};
use jampin_core::geometry::{Point, Rect};
use jampin_core::locate::Film as SeenFilm;
use jampin_core::mesh::{MeshEnd, MeshTask, solve_mesh};
use jampin_core::time::{Frame, FrameRange};
use jampin_core::track::{MotionModel, Sample, SampleState};
use rayon::prelude::*;

use crate::film::{Film, Shared};
use crate::labels::{Away, Label, LabelCount, Points, asked_for, starts_of};

/// Of all points, or of those that are named, begun at the labels that are asked for.
pub fn tell(films: &BTreeMap<&String, Film>, points: &Points, only: Option<&[&str]>, which: &str) {
    let wanted: Vec<_> = points
        .iter()
        .filter(|((_, point), _)| only.is_none_or(|only| only.contains(&point.as_str())))
        .flat_map(|(key, labels)| starts_of(labels, which).into_iter().map(move |start| (key, labels, start)))
        .collect();
    let all: Vec<Followed> =
        wanted.par_iter().map(|((clip, point), labels, start)| one(&films[clip], point, labels, start)).collect();
    println!("-- {which}");
    all.iter().for_each(|one| println!("{}", one.line));
    println!("{which}: {}", LabelCount::of_all(all.iter().map(|one| &one.labels)));
    Away::tell_all(which, all.iter().map(|one| one.away));
}

/// How much of the motion counts at most, if that is asked for.
fn asked_motion() -> Option<MotionModel> {
    let name = std::env::var("REAL_MOTION").ok()?;
    Some(MotionModel::ALL.into_iter().find(|motion| format!("{motion:?}") == name).expect("a motion, as Scale"))
}

fn number(name: &str) -> Option<f64> {
    std::env::var(name).ok().map(|word| word.parse().expect("a number of pixels"))
}

/// How one was followed.
struct Followed {
    line: String,
    labels: LabelCount,
    away: Away,
}

fn one(film: &Film, name: &str, labels: &[Label], start: &Label) -> Followed {
    let range = asked_for(labels, film.whole());
    let begun = Instant::now();
    let seen = followed(film, start, range);
    let seconds = begun.elapsed().as_secs_f64();
    let error = |label: &Label| {
        let sample = seen.get(&Frame(label.frame)).filter(|sample| sample.state == SampleState::Found);
        sample.map(|sample| sample.at.distance(label.at))
    };
    let visible = labels.iter().filter(|label| label.visible && label.frame != start.frame);
    let mut off: Vec<f64> = visible.clone().filter_map(error).collect();
    off.sort_by(f64::total_cmp);
    let middle = off.get(off.len() / 2).copied().unwrap_or(f64::NAN);
    let worst = off.last().copied().unwrap_or(f64::NAN);
    let hidden = labels.iter().filter(|label| !label.visible);
    let line = format!(
        "{name:20} from {:4}: found {:2} of {:2}, median {middle:6.2} worst {worst:6.1}, hidden found {} of {}, {:5.1} ms/frame",
        start.frame,
        off.len(),
        visible.count(),
        hidden.clone().filter(|label| error(label).is_some()).count(),
        hidden.count(),
        seconds * 1e3 / f64::from(range.count())
    );
    if std::env::var("REAL_FRAMES").is_ok() {
        for (frame, sample) in &seen {
            let Sample { at, matched, state, grasp, .. } = sample;
            println!("   {name} {frame:4} {state:?} {grasp:?} {:6.1} {:6.1} match {matched:.3}", at.x, at.y);
        }
    }
    let told = seen.iter().map(|(frame, sample)| (frame.0, sample.state == SampleState::Found));
    let away = Away::of(name, labels, told);
    let line = format!("{line}{}", away.in_line());
    Followed { line, labels: LabelCount::of(labels, start, error), away }
}

/// The middle of the box, frame by frame; nothing where there was nothing to follow.
fn followed(film: &Film, start: &Label, range: FrameRange) -> BTreeMap<Frame, Sample> {
    let half = number("REAL_AREAS").expect("who comes here has asked for it") / 2.0;
    let Point { x, y } = start.at;
    let corners = Rect { left: x - half, top: y - half, right: x + half, bottom: y + half }.corners();
    let mut area = AreaTask::new(Frame(start.frame), Outline(corners.to_vec()));
    area.motion = asked_motion();
    let (part, _) = film.parts(Frame(start.frame), range);
    let seen = SeenFilm { scene: &film.scene, part };
    let mut source = Shared(film);
    if let Some(spacing) = number("REAL_KNOTS") {
        let MeshEnd::Solved(net, frames) = solve_mesh(&mut source, seen, &MeshTask { area, spacing }, &mut ()).unwrap()
        else {
            return BTreeMap::new();
        };
        let near = |knot: &&usize| net.knots[**knot].distance(start.at);
        let all: Vec<usize> = (0..net.knots.len()).collect();
        let middle = *all.iter().min_by(|a, b| near(a).total_cmp(&near(b))).expect("a net has knots");
        let spot = net.spot(&net.knots, start.at).expect("the middle lies in the net");
        let at = |knots: Vec<Sample>| {
            let places: Vec<Point> = knots.iter().map(|knot| knot.at).collect();
            Sample { at: net.place(&places, spot), ..knots[middle] }
        };
        return frames.into_iter().map(|(frame, knots)| (frame, at(knots))).collect();
    }
    match solve_area(&mut source, seen, &area, &mut ()).unwrap() {
        AreaEnd::Solved(solution) => {
            solution.places.iter().map(|(frame, place)| (*frame, place.sample(start.at))).collect()
        }
        _ => BTreeMap::new(),
    }
}
