//! How often somebody may try to be somebody.

use actix_web::HttpRequest;
use jampin_store::Tries;
use uuid::Uuid;

use crate::error::ApiError;
use crate::state::AppState;

/// Tries that may fail within a quarter of an hour: for one name from one address, for one name, from one address.
/// The first is what a person needs who has forgotten; the others are what guessing from many places comes to.
const MOST: Tries = Tries { both: 8, name: 60, address: 40 };
/// Tries from inside are counted apart from those to sign in, under this in place of an address.
pub(crate) const FROM_INSIDE: &str = "inside";

/// Counts one before it is known whether it succeeds, unless there were too many. One that succeeds is forgiven.
pub(crate) async fn count(state: &AppState, name: &str, address: &str) -> Result<(), ApiError> {
    let tries = state.store.note_try(Uuid::new_v4(), name, address).await?;
    // From inside many people ask from what counts as one address.
    let many = address != FROM_INSIDE && (tries.name > MOST.name || tries.address > MOST.address);
    if tries.both > MOST.both || many {
        tracing::warn!(address, "too many tries");
        return Err(ApiError::TooMany("Too many tries. Wait a quarter of an hour, then try again.".into()));
    }
    Ok(())
}

/// Where who asks is, as it is counted.
pub(crate) fn address_of(state: &AppState, request: &HttpRequest) -> String {
    state.settings.reach.address_of(request).map(|address| address.to_string()).unwrap_or_default()
}
