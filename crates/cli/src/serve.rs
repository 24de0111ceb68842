//! `serve`, `worker` and `migrate`.

use std::net::TcpListener;
use std::time::Duration;

use anyhow::Context;
use jampin_jobs::{Duty, EventHub, Library, Remote, Task, Worker, keep_folder, keep_house, spawn_worker};
use jampin_media::Limits;
use jampin_store::{FIRST_OWNER, SessionBounds, Store};
use jampin_web::{AppState, Provider, ServeSettings, make_link};
use tokio::runtime::Runtime;

use crate::args::{DatabaseArgs, MediaArgs, OpenIdArgs, ServeArgs, WorkerArgs};
use crate::error::bad_input;
use crate::sandboxed;

pub(crate) fn library(args: &MediaArgs) -> anyhow::Result<Library> {
    let mut tools = sandboxed::tools(args.no_sandbox)?;
    tools.limits = Limits {
        memory: (args.ffmpeg_memory_gb * 1e9) as u64,
        quiet: Duration::from_secs(args.ffmpeg_patience),
        ..tools.limits
    };
    std::fs::create_dir_all(&args.media).context("the media folder cannot be made")?;
    let root = args.media.canonicalize().context("the media folder cannot be found")?;
    let mut library = Library::new(root, tools, (args.planes_gb * 1e9) as u64);
    library.reserve = (args.reserve_gb * 1e9) as u64;
    let Some(url) = &args.object_store else { return Ok(library) };
    cryptography();
    Ok(library.over(Remote::s3(url).map_err(bad_input)?)?)
}

/// A runtime of several threads, as the database's migrations and the jobs' blocking calls need one.
pub(crate) fn runtime() -> anyhow::Result<Runtime> {
    tokio::runtime::Builder::new_multi_thread().enable_all().build().context("no threads to be had")
}

pub(crate) fn migrate(args: DatabaseArgs) -> anyhow::Result<()> {
    runtime()?.block_on(async { Ok(Store::new(&args.database)?.migrate().await?) })
}

pub(crate) fn serve(args: ServeArgs) -> anyhow::Result<()> {
    let (reach, tls) = crate::reach::reach(&args.reach)?;
    let provider = provider(args.openid)?;
    let library = library(&args.media)?;
    library.clear_uploads();
    let runtime = runtime()?;
    let store = Store::new(&args.database.database)?;
    runtime.block_on(store.migrate()).context("the database is not ready")?;
    runtime.block_on(library.is_reachable()).context("the object store cannot be used")?;
    let listener = TcpListener::bind((args.reach.listen, args.port))
        .with_context(|| format!("port {} cannot be used; choose another with --port", args.port))?;
    let address = listener.local_addr()?;
    let hub = {
        let _guard = runtime.enter();
        EventHub::start(store.clone())
    };
    {
        let worker = Worker { store: store.clone(), library: library.clone(), hub: hub.clone() };
        let _guard = runtime.enter();
        tokio::spawn(keep_house(worker.clone()));
        if !args.no_worker {
            let _lanes = spawn_worker(worker, Duty::default());
        }
    }
    let bytes = |gb: f64| (gb * 1e9) as u64;
    let quotas = [args.project_gb, args.all_gb].map(bytes);
    let sessions = SessionBounds { idle_hours: args.reach.session_idle_hours, hours: args.reach.session_hours };
    let settings = ServeSettings {
        upload_limit: bytes(args.upload_gb),
        quotas,
        reach,
        sessions,
        needs_second_factor: args.second_factor,
        provider,
        metrics_token: args.metrics_token,
    };
    let url = settings.reach.url.as_ref().map_or(format!("http://{address}"), |url| url.origin().ascii_serialization());
    let state = runtime.block_on(AppState::new(store, library, hub, settings))?;
    tracing::info!("Jam Pin is at {url}");
    println!("{url}");
    if let Some(path) = runtime.block_on(first_link(&state))? {
        println!("Nobody can sign in yet. Whoever opens this link is its owner: {url}{path}");
    }
    runtime.block_on(async { jampin_web::serve(state, listener, tls, 2)?.await })?;
    // Jobs at work are taken up again by the next server.
    runtime.shutdown_timeout(Duration::from_millis(200));
    Ok(())
}

fn provider(args: OpenIdArgs) -> anyhow::Result<Option<Provider>> {
    let OpenIdArgs { openid_issuer, openid_client, openid_secret, openid_name } = args;
    let Some((issuer, client)) = openid_issuer.zip(openid_client) else { return Ok(None) };
    cryptography();
    Provider::new(&issuer, &client, openid_secret, openid_name).map(Some).map_err(bad_input)
}

/// What TLS towards other servers is done with.
fn cryptography() {
    // Whoever was first has installed the same.
    let _ = rustls::crypto::ring::default_provider().install_default();
}

/// A way in for the first owner, where nobody is let in for sitting at the machine.
async fn first_link(state: &AppState) -> anyhow::Result<Option<String>> {
    let is_set_up = state.store.person(FIRST_OWNER).await?.signs_in;
    if is_set_up || state.settings.reach.trusts_machine {
        return Ok(None);
    }
    Ok(Some(make_link(&state.store, FIRST_OWNER, None).await?))
}

pub(crate) fn worker(args: WorkerArgs) -> anyhow::Result<()> {
    let duty = match (&args.kinds[..], args.lanes) {
        ([], None) => Duty::default(),
        (kinds, lanes) => {
            let all: Vec<String> = Task::QUICK.into_iter().chain(Task::SLOW).map(str::to_owned).collect();
            let duty = Duty::of(if kinds.is_empty() { &all } else { kinds }, lanes.unwrap_or(1));
            duty.ok_or_else(|| bad_input(format!("kinds of work are {}", all.join(", "))))?
        }
    };
    let library = library(&args.media)?;
    let runtime = runtime()?;
    let store = Store::new(&args.database.database)?;
    runtime.block_on(library.is_reachable()).context("the object store cannot be used")?;
    runtime.block_on(async {
        let hub = EventHub::start(store.clone());
        let worker = Worker { store, library, hub };
        if worker.library.is_cache() {
            tokio::spawn(keep_folder(worker.clone()));
        }
        let lanes = spawn_worker(worker, duty);
        // They run until the process ends.
        let _ = tokio::signal::ctrl_c().await;
        lanes.iter().for_each(tokio::task::JoinHandle::abort);
    });
    runtime.shutdown_timeout(Duration::from_millis(200));
    Ok(())
}
