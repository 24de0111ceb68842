//! A shot, ready to be painted, and what its films are called.

use std::path::{Path, PathBuf};

use jampin_core::scene::Scene;
use jampin_core::time::{Frame, FrameRange};
use jampin_media::Cancel;
use jampin_render::Typesetter;
use tokio::runtime::Handle;

use crate::footage::Footage;
use crate::painting::{Painting, paint_film};
use crate::snapshot::Snapshot;
use crate::{Product, TaskError, Worker};

/// The name under which it is saved.
pub(crate) fn file_name(shot: &str, product: Product) -> String {
    format!("{}.{}", title(shot, product), product.extension())
}

fn title(shot: &str, product: Product) -> String {
    let suffix = if product.is_graphics() { " graphics" } else { "" };
    format!("{}{suffix}", safe_name(shot))
}

/// A shot, ready to be painted: its film and all that hangs in it are at hand.
pub(crate) struct Canvas<'a> {
    worker: &'a Worker,
    snapshot: &'a Snapshot,
    clip: PathBuf,
    footage: Footage,
}

impl<'a> Canvas<'a> {
    pub fn of(worker: &'a Worker, runtime: &Handle, snapshot: &'a Snapshot) -> Result<Self, TaskError> {
        let Worker { store, library, .. } = worker;
        let clip = runtime.block_on(library.bring(library.clip(snapshot.clip).original()))?;
        library.touch(snapshot.clip);
        let footage = runtime.block_on(Footage::of(store, library, snapshot.project, &snapshot.shot))?;
        Ok(Self { worker, snapshot, clip, footage })
    }

    /// Some frames, as a film or as a piece of one that begins elsewhere. How many were painted.
    pub fn paint(
        &self,
        product: Product,
        (range, piece_of): (FrameRange, Option<Frame>),
        out: &Path,
        cancel: &Cancel,
        report: &mut dyn FnMut(u32),
    ) -> Result<u32, TaskError> {
        let Snapshot { info, table, shot, name, range: whole, .. } = self.snapshot;
        let typesetter = Typesetter::default();
        let painting = Painting {
            clip: &self.clip,
            info,
            table,
            range,
            scene: &Scene::new(shot, info.size, *whole, &typesetter),
            typesetter: &typesetter,
            footage: &self.footage,
            product,
            name: &title(name, product),
            piece_of,
            out,
        };
        paint_film(&self.worker.library.tools, &painting, cancel, report)
    }
}

/// A file name that every system takes.
pub(crate) fn safe_name(name: &str) -> String {
    let safe: String = name.chars().map(|c| if c.is_alphanumeric() || " -_.".contains(c) { c } else { '_' }).collect();
    let safe = safe.trim_matches([' ', '.']).chars().take(80).collect::<String>();
    if safe.is_empty() { "shot".into() } else { safe }
}

#[cfg(test)]
mod tests {
    use super::safe_name;

    #[test]
    fn file_names_are_harmless() {
        assert_eq!(safe_name("Passing loop"), "Passing loop");
        assert_eq!(safe_name("../../etc/passwd"), "_.._etc_passwd");
        assert_eq!(safe_name("..."), "shot");
    }
}
