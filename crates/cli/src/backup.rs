//! `backup` and `restore`.

use std::path::Path;

use jampin_jobs::{BackupError, BackupReport, Library};
use jampin_store::Store;

use crate::args::BackupArgs;
use crate::error::bad_input;
use crate::serve::{library, runtime};

pub(crate) fn back_up(args: &BackupArgs) -> anyhow::Result<()> {
    let said = |report: &BackupReport| format!("{} is a backup of {}", args.folder.display(), contents(report));
    run(args, said, async |store, library, folder| jampin_jobs::back_up(store, library, folder).await)
}

pub(crate) fn restore(args: &BackupArgs) -> anyhow::Result<()> {
    let said = |report: &BackupReport| format!("Had back from {}: {}", args.folder.display(), contents(report));
    run(args, said, async |store, library, folder| jampin_jobs::restore(store, library, folder).await)
}

fn run(
    args: &BackupArgs,
    said: impl Fn(&BackupReport) -> String,
    work: impl AsyncFnOnce(&Store, &Library, &Path) -> Result<BackupReport, BackupError>,
) -> anyhow::Result<()> {
    let (library, store) = (library(&args.media)?, Store::new(&args.database.database)?);
    let report = runtime()?.block_on(work(&store, &library, &args.folder)).map_err(|error| match error {
        BackupError::Unusable(why) => bad_input(why),
        other => other.into(),
    })?;
    println!("{}", said(&report));
    for path in &report.missing {
        eprintln!("jampin: not in the media folder, so not in the backup: {}", path.display());
    }
    Ok(())
}

fn contents(report: &BackupReport) -> String {
    let BackupReport { clips, others, copied, media_elsewhere, .. } = report;
    if *media_elsewhere {
        return "the database alone. Films are in the object store: have that kept by its own means".into();
    }
    format!("{clips} films of shots, {others} pictures and finished films, {:.1} MB copied", *copied as f64 / 1e6)
}
