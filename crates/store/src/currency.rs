//! Whether what was read still holds.

use diesel::prelude::*;
use diesel_async::RunQueryDsl;

use crate::schema::{clips, shots};
use crate::shots::is_deleted;
use crate::{Clip, ShotInfo, Store, StoreError};

impl Store {
    /// Whether a shot and its clip are still as they were read: not edited, with the same samples, prepared as far.
    pub async fn is_current(&self, known: &ShotInfo, clip: &Clip) -> Result<bool, StoreError> {
        let mut connection = self.connection().await?;
        let found = shots::table.inner_join(clips::table).filter(shots::id.eq(known.id));
        let marks = (shots::revision, shots::samples_version, clips::state, clips::prepared, is_deleted());
        let found: Option<(i64, i64, String, i32, bool)> =
            found.select(marks).first(&mut connection).await.optional()?;
        Ok(found.is_some_and(|(revision, samples, state, prepared, deleted)| {
            (revision, samples) == (known.revision, known.samples_version) && clip.is_at(&state, prepared) && !deleted
        }))
    }
}
