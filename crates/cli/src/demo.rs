//! `jampin demo`: the demo films, and a project made of them.

use std::cell::Cell;
use std::convert::Infallible;
use std::path::Path;
use std::time::{Duration, Instant};

use anyhow::Context;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use jampin_core::time::{Frame, FrameRange};
use jampin_demo::{DemoFilm, Truth, shots, write_film};
use jampin_jobs::{Duty, EventHub, Library, PrepareTask, Task, Worker, spawn_worker};
use jampin_media::{first_picture, probe};
use jampin_store::{Arriving, FIRST_OWNER, NewClip, NewShot, Store, StoreError};
use uuid::Uuid;

use crate::args::DemoArgs;
use crate::demo_work::Bench;
use crate::serve::{library, runtime};
use crate::wait::wait_for;

/// Beside the films: the project that was made of them.
const MADE: &str = "project";
/// Name of the demo project.
const PROJECT: &str = "Harrowmoss open day";
/// How often it is said what is still to be made, while a shot is worked on.
const SAID_EVERY: Duration = Duration::from_secs(5);

pub(crate) fn run(args: DemoArgs) -> anyhow::Result<()> {
    if args.films_only {
        return shots().iter().try_for_each(|shot| write(shot, &args.out, &|_| ()).map(|_| ()));
    }
    let library = library(&args.media)?;
    let runtime = runtime()?;
    let store = Store::new(&args.database.database)?;
    runtime.block_on(store.migrate()).context("the database is not ready")?;
    runtime.block_on(async {
        let Some(project) = unfinished(&store, &args.out).await? else { return Ok(()) };
        let worker = Worker { store: store.clone(), library: library.clone(), hub: EventHub::start(store.clone()) };
        let lanes = spawn_worker(worker, Duty::default());
        let made = fill(&store, &library, project, &args.out).await;
        lanes.iter().for_each(tokio::task::JoinHandle::abort);
        made
    })?;
    runtime.shutdown_timeout(Duration::from_millis(200));
    Ok(())
}

/// The demo's project, new or as far as it was made; nothing when all of it was made once: what its owner took away
/// since stays away.
async fn unfinished(store: &Store, folder: &Path) -> anyhow::Result<Option<Uuid>> {
    let Some(known) = store.projects(FIRST_OWNER).await?.into_iter().find(|summary| summary.project.name == PROJECT)
    else {
        return Ok(Some(store.create_project(PROJECT, FIRST_OWNER).await?.id));
    };
    let id = known.project.id;
    let is_noted = std::fs::read_to_string(folder.join(MADE)).is_ok_and(|made| made == id.to_string());
    let last = shots().last().map(|shot| shot.name);
    let is_there = store.shots(id).await?.iter().any(|shot| Some(shot.name.as_str()) == last);
    Ok((!is_noted && !is_there).then_some(id))
}

/// Writes a film, unless it is there, and shows how far it is; `told` gets the share that is done.
fn write(shot: &jampin_demo::Shot, folder: &Path, told: &dyn Fn(f64)) -> anyhow::Result<DemoFilm> {
    let bar = ProgressBar::with_draw_target(Some(shot.frames.into()), ProgressDrawTarget::stderr());
    bar.set_style(ProgressStyle::with_template("{msg} {wide_bar} {pos}/{len} {eta}")?);
    bar.set_message(format!("Demo film: {}", shot.name));
    let film = write_film(shot, folder, &mut |done, all| {
        bar.set_position(done.into());
        told(f64::from(done) / f64::from(all.max(1)));
    })?;
    bar.finish_and_clear();
    Ok(film)
}

/// One shot after the other, each to be worked on as soon as it is there.
async fn fill(store: &Store, library: &Library, project: Uuid, folder: &Path) -> anyhow::Result<()> {
    let all = shots();
    for (i, shot) in all.iter().enumerate() {
        if store.shots(project).await?.iter().any(|known| known.name == shot.name) {
            continue;
        }
        let film = {
            let said = Arrivals { store, project, films: &all[i..], said: Cell::new(None) };
            tokio::task::block_in_place(|| write(shot, folder, &|share| said.say(share)))?
        };
        let work = worked_on(store, library, project, i, &film);
        tokio::select! {
            done = work => done?,
            never = say_on(store, project, &all[i + 1..]) => match never {},
        }
    }
    store.set_arriving(project, &[]).await?;
    Ok(std::fs::write(folder.join(MADE), project.to_string())?)
}

/// Brings in the film of the `i`th shot and does on it what the demo shows. The second is left untouched, to try the
/// short way on.
async fn worked_on(store: &Store, library: &Library, project: Uuid, i: usize, film: &DemoFilm) -> anyhow::Result<()> {
    let shot = bring_in(store, library, project, &film.film).await?;
    let truth: Truth = serde_json::from_str(&std::fs::read_to_string(&film.truth)?)?;
    let bench = Bench { store, library, project, shot, truth };
    match i {
        0 => bench.passing_loop().await,
        2 => bench.yard().await,
        3 => bench.clock_tower().await,
        4 => bench.station_front().await,
        5 => bench.pennant().await,
        _ => Ok(()),
    }
}

/// Says again and again which films are still to be made: whoever is silent is taken for gone.
async fn say_on(store: &Store, project: Uuid, films: &[jampin_demo::Shot]) -> Infallible {
    loop {
        noted(store.set_arriving(project, &arriving(films, 0.0)).await);
        tokio::time::sleep(SAID_EVERY).await;
    }
}

/// That it cannot be said is no reason not to make the films.
fn noted(said: Result<(), StoreError>) {
    said.unwrap_or_else(|error| tracing::warn!(%error, "the page is not told of the demo's films"));
}

/// The first of some films is made to a share, the others wait.
fn arriving(films: &[jampin_demo::Shot], share: f64) -> Vec<Arriving> {
    let arriving = |(i, shot): (usize, &jampin_demo::Shot)| Arriving {
        name: shot.name.to_owned(),
        share: if i == 0 { share } else { 0.0 },
    };
    films.iter().enumerate().map(arriving).collect()
}

/// Tells the project's page what is being made.
struct Arrivals<'a> {
    store: &'a Store,
    project: Uuid,
    /// The one that is being made, and those after it.
    films: &'a [jampin_demo::Shot],
    said: Cell<Option<Instant>>,
}

impl Arrivals<'_> {
    /// At most once a second.
    fn say(&self, share: f64) {
        if self.said.get().is_some_and(|at| at.elapsed() < Duration::from_secs(1)) {
            return;
        }
        self.said.set(Some(Instant::now()));
        let films = arriving(self.films, share);
        noted(tokio::runtime::Handle::current().block_on(self.store.set_arriving(self.project, &films)));
    }
}

/// What an upload does, from a file that is here already.
async fn bring_in(store: &Store, library: &Library, project: Uuid, film: &Path) -> anyhow::Result<Uuid> {
    let id = Uuid::new_v4();
    let folder = library.clip(id);
    std::fs::create_dir_all(folder.path())?;
    let bytes = std::fs::copy(film, folder.original())?;
    let (info, table) = probe(&library.tools, &folder.original())?;
    first_picture(&library.tools, &folder, &info)?;
    for file in [folder.original(), folder.preview(Frame(0))] {
        library.keep(&file).await?;
    }
    let name = film.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let stem = film.file_stem().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
    let range = FrameRange { first: Frame(0), last: Frame(table.len() - 1) };
    let clip = NewClip {
        id,
        project,
        name: &name,
        bytes,
        info: serde_json::to_value(&info)?,
        frames: serde_json::to_value(&table)?,
        remarks: info.remarks(),
    };
    let shot = NewShot { project, clip: id, name: &stem, range };
    let job = Task::Prepare(PrepareTask { clip: id }).into_job(project)?;
    let (shot, job) = store.bring_in(clip, shot, job).await?;
    wait_for(store, job).await?;
    Ok(shot)
}
