//! `jampin demo`: the demo films, and a project made of them.

use std::path::Path;
use std::time::Duration;

use anyhow::Context;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use jampin_core::time::{Frame, FrameRange};
use jampin_demo::{DemoFilm, Truth, shots, write_film};
use jampin_jobs::{EventHub, Library, PrepareTask, Task, Worker, spawn_worker};
use jampin_media::{first_picture, probe};
use jampin_store::{NewClip, NewShot, Store};
use uuid::Uuid;

use crate::args::DemoArgs;
use crate::demo_work::Bench;
use crate::serve::{library, runtime};
use crate::wait::wait_for;

/// Name of the demo project.
const PROJECT: &str = "Harrowmoss open day";
pub(crate) fn run(args: DemoArgs) -> anyhow::Result<()> {
    let films = films(&args.out)?;
    if args.films_only {
        return Ok(());
    }
    let library = library(&args.media)?;
    let runtime = runtime()?;
    let store = Store::new(&args.database.database)?;
    runtime.block_on(store.migrate()).context("the database is not ready")?;
    runtime.block_on(async {
        if store.projects().await?.iter().any(|summary| summary.project.name == PROJECT) {
            return Ok(());
        }
        let worker = Worker { store: store.clone(), library: library.clone(), hub: EventHub::start(store.clone()) };
        let lanes = spawn_worker(worker);
        let made = project(&store, &library, &films).await;
        lanes.iter().for_each(tokio::task::JoinHandle::abort);
        made
    })?;
    runtime.shutdown_timeout(Duration::from_millis(200));
    Ok(())
}

fn films(folder: &Path) -> anyhow::Result<Vec<DemoFilm>> {
    let style = ProgressStyle::with_template("{msg} {wide_bar} {pos}/{len} {eta}")?;
    let film = |shot: jampin_demo::Shot| {
        let bar = ProgressBar::with_draw_target(Some(shot.frames.into()), ProgressDrawTarget::stderr());
        bar.set_style(style.clone());
        bar.set_message(format!("Demo film: {}", shot.name));
        let film = write_film(&shot, folder, &mut |done, _| bar.set_position(done.into()))?;
        bar.finish_and_clear();
        Ok(film)
    };
    shots().into_iter().map(film).collect()
}

async fn project(store: &Store, library: &Library, films: &[DemoFilm]) -> anyhow::Result<()> {
    let project = store.create_project(PROJECT).await?.id;
    for (i, film) in films.iter().enumerate() {
        let shot = bring_in(store, library, project, &film.film).await?;
        let truth: Truth = serde_json::from_str(&std::fs::read_to_string(&film.truth)?)?;
        let bench = Bench { store, library, project, shot, truth };
        // The second is left untouched, to try the short way on.
        match i {
            0 => bench.passing_loop().await?,
            2 => bench.yard().await?,
            3 => bench.clock_tower().await?,
            _ => {}
        }
    }
    Ok(())
}

/// What an upload does, from a file that is here already.
async fn bring_in(store: &Store, library: &Library, project: Uuid, film: &Path) -> anyhow::Result<Uuid> {
    let id = Uuid::new_v4();
    let folder = library.clip(id);
    std::fs::create_dir_all(folder.path())?;
    let bytes = std::fs::copy(film, folder.original())?;
    let (info, table) = probe(&library.tools, &folder.original())?;
    first_picture(&library.tools, &folder, &info)?;
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
    let job = Task::Prepare(PrepareTask { clip: id, colour: false }).into_job(project)?;
    let (shot, job) = store.bring_in(clip, shot, job).await?;
    wait_for(store, job).await?;
    Ok(shot)
}
