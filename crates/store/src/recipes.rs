//! Cleaning recipes kept under a name, for every shot of a project.

use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use jampin_core::path::Step;
use serde::Serialize;
use uuid::Uuid;

use crate::schema::recipes;
use crate::{Store, StoreError};

/// Cleaning steps under a name.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct SavedRecipe {
    /// Its name; no two of a project have the same.
    pub name: String,
    /// The steps, in order.
    pub steps: Vec<Step>,
}

impl Store {
    /// The recipes of a project, by name.
    pub async fn recipes(&self, project: Uuid) -> Result<Vec<SavedRecipe>, StoreError> {
        let mut connection = self.connection().await?;
        let kept = recipes::table.filter(recipes::project_id.eq(project)).order(recipes::name);
        let rows: Vec<(String, serde_json::Value)> =
            kept.select((recipes::name, recipes::steps)).load(&mut connection).await?;
        let recipe = |(name, steps)| Ok(SavedRecipe { name, steps: serde_json::from_value(steps)? });
        rows.into_iter().map(recipe).collect()
    }

    /// Keeps steps under a name; one that is there already gets the new steps.
    pub async fn keep_recipe(&self, project: Uuid, recipe: &SavedRecipe) -> Result<(), StoreError> {
        self.project(project).await?;
        let mut connection = self.connection().await?;
        let steps = recipes::steps.eq(serde_json::to_value(&recipe.steps)?);
        diesel::insert_into(recipes::table)
            .values((recipes::project_id.eq(project), recipes::name.eq(&recipe.name), steps.clone()))
            .on_conflict((recipes::project_id, recipes::name))
            .do_update()
            .set(steps)
            .execute(&mut connection)
            .await?;
        Ok(())
    }

    /// Forgets a recipe.
    pub async fn forget_recipe(&self, project: Uuid, name: &str) -> Result<(), StoreError> {
        let mut connection = self.connection().await?;
        let kept = recipes::table.filter(recipes::project_id.eq(project)).filter(recipes::name.eq(name));
        let gone = diesel::delete(kept).execute(&mut connection).await?;
        (gone == 1).then_some(()).ok_or(StoreError::NotFound("recipe"))
    }
}
