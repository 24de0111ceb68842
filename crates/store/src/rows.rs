//! Rows that become plain structs of other shapes.

use chrono::{DateTime, Utc};
use diesel::prelude::*;
use serde_json::Value;
use uuid::Uuid;

use crate::schema::{jobs, log, samples, shots};

#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = shots)]
pub(crate) struct ShotRow {
    pub id: Uuid,
    pub project_id: Uuid,
    pub clip_id: Uuid,
    pub name: String,
    pub first_frame: i32,
    pub last_frame: i32,
    pub revision: i64,
    pub samples_version: i64,
    pub log_head: i64,
    pub document: Value,
    pub in_film: bool,
}

#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = samples)]
pub(crate) struct SpanRow {
    pub shot_id: Uuid,
    pub pin_id: Uuid,
    pub first_frame: i32,
    pub x: Vec<f64>,
    pub y: Vec<f64>,
    pub matched: Vec<f32>,
    pub sd_x: Vec<f32>,
    pub sd_y: Vec<f32>,
    pub state: Vec<i16>,
    pub cov_xy: Vec<f32>,
    pub peak_ratio: Vec<f32>,
    pub back_error: Vec<f32>,
    pub solved: Vec<bool>,
    pub shape: Vec<f64>,
}

#[derive(Clone, Debug, Queryable, Selectable, Insertable)]
#[diesel(table_name = log)]
pub(crate) struct LogRow {
    pub shot_id: Uuid,
    pub number: i64,
    pub title: String,
    /// What redo makes: known once it was undone.
    pub edit: Option<Value>,
    pub inverse: Value,
    pub job_id: Option<Uuid>,
    pub person_id: Option<Uuid>,
}

#[derive(Clone, Debug, Queryable, Selectable)]
#[diesel(table_name = jobs)]
pub(crate) struct JobRow {
    pub id: Uuid,
    pub project_id: Uuid,
    pub shot_id: Option<Uuid>,
    pub clip_id: Option<Uuid>,
    pub kind: String,
    pub payload: Value,
    pub state: String,
    pub progress: Value,
    pub result: Option<Value>,
    pub problem: Option<String>,
    pub attempts: i32,
    pub cancel: bool,
    pub created_at: DateTime<Utc>,
    pub ended_at: Option<DateTime<Utc>>,
}
