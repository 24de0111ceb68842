//! Recipe recipes: the usual one, and those kept in a project.

use actix_web::{HttpResponse, delete, get, put, web};
use jampin_core::document::MAX_NAME;
use jampin_core::path::{Recipe, Step};
use jampin_store::SavedRecipe;
use serde::Deserialize;
use uuid::Uuid;

use crate::error::{ApiError, sentence};
use crate::state::AppState;

/// The recipe that is good without touching it.
#[get("/api/recipes/default")]
pub(crate) async fn default_recipe() -> HttpResponse {
    HttpResponse::Ok().json(Recipe::default())
}

#[derive(Deserialize)]
pub(crate) struct Steps {
    steps: Vec<Step>,
}

/// Keeps steps under a name, for every shot of the project.
#[put("/api/projects/{id}/recipes/{name}")]
pub(crate) async fn keep(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, String)>,
    body: web::Json<Steps>,
) -> Result<HttpResponse, ApiError> {
    let (project, name) = path.into_inner();
    let name = name.trim().to_owned();
    if !(1..=MAX_NAME).contains(&name.chars().count()) {
        return Err(ApiError::Unusable(format!("The name of a recipe has 1 to {MAX_NAME} characters.")));
    }
    let cleaning = Recipe { steps: body.into_inner().steps, hand_keys: Vec::new() };
    cleaning.check().map_err(|problem| ApiError::Unusable(sentence(&problem.to_string())))?;
    state.store.keep_recipe(project, &SavedRecipe { name, steps: cleaning.steps }).await?;
    Ok(HttpResponse::NoContent().finish())
}

#[delete("/api/projects/{id}/recipes/{name}")]
pub(crate) async fn forget(
    state: web::Data<AppState>,
    path: web::Path<(Uuid, String)>,
) -> Result<HttpResponse, ApiError> {
    let (project, name) = path.into_inner();
    state.store.forget_recipe(project, &name).await?;
    Ok(HttpResponse::NoContent().finish())
}
