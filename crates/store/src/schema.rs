//! Tables as Diesel sees them; the truth is in `migrations/`.

diesel::table! {
    projects (id) {
        id -> Uuid, name -> Text, created_at -> Timestamptz, deleted_at -> Nullable<Timestamptz>,
        arriving -> Nullable<Jsonb>, arriving_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    clips (id) {
        id -> Uuid, project_id -> Uuid, name -> Text, bytes -> Int8, state -> Text, info -> Jsonb, frames -> Jsonb,
        prepared -> Int4, cuts -> Array<Int4>, speeds -> Array<Float4>, remarks -> Array<Text>, problem -> Nullable<Text>,
        created_at -> Timestamptz,
    }
}

diesel::table! {
    shots (id) {
        id -> Uuid, project_id -> Uuid, clip_id -> Uuid, name -> Text, first_frame -> Int4, last_frame -> Int4,
        revision -> Int8, samples_version -> Int8, log_head -> Int8, document -> Jsonb, created_at -> Timestamptz, place -> Int4, in_film -> Bool,
    }
}

diesel::table! {
    samples (shot_id, pin_id, first_frame) {
        shot_id -> Uuid, pin_id -> Uuid, first_frame -> Int4, x -> Array<Float8>, y -> Array<Float8>,
        matched -> Array<Float4>, sd_x -> Array<Float4>, sd_y -> Array<Float4>, state -> Array<Int2>,
        cov_xy -> Array<Float4>, peak_ratio -> Array<Float4>, back_error -> Array<Float4>, solved -> Array<Bool>,
        shape -> Array<Float8>,
    }
}

diesel::table! {
    log (shot_id, number) {
        shot_id -> Uuid, number -> Int8, title -> Text, edit -> Nullable<Jsonb>, inverse -> Jsonb, job_id -> Nullable<Uuid>,
        made_at -> Timestamptz, person_id -> Nullable<Uuid>,
    }
}

diesel::table! {
    log_parts (shot_id, number, part) {
        shot_id -> Uuid, number -> Int8, part -> Int8, pin_id -> Uuid, frames -> Array<Int4>, inverse -> Jsonb,
    }
}

diesel::table! {
    jobs (id) {
        id -> Uuid, project_id -> Uuid, shot_id -> Nullable<Uuid>, clip_id -> Nullable<Uuid>, kind -> Text,
        payload -> Jsonb, state -> Text, progress -> Jsonb, result -> Nullable<Jsonb>, problem -> Nullable<Text>,
        attempts -> Int4, cancel -> Bool, worker -> Nullable<Uuid>, heartbeat -> Nullable<Timestamptz>,
        created_at -> Timestamptz, ended_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    clip_places (clip_id, place) { clip_id -> Uuid, place -> Uuid, used_at -> Timestamptz, }
}

diesel::table! {
    recipes (project_id, name) { project_id -> Uuid, name -> Text, steps -> Jsonb, }
}

diesel::table! {
    looks (project_id, name) { project_id -> Uuid, name -> Text, attachment -> Jsonb, }
}

diesel::table! {
    pictures (id) {
        id -> Uuid, project_id -> Uuid, name -> Text, width -> Int4, height -> Int4, created_at -> Timestamptz,
        deleted_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    installation (id) { id -> Uuid, cookie_key -> Nullable<Bytea>, }
}

diesel::table! {
    people (id) {
        id -> Uuid, name -> Text, passphrase -> Nullable<Text>, administrator -> Bool, made_at -> Timestamptz,
        left_at -> Nullable<Timestamptz>, totp -> Nullable<Bytea>, totp_step -> Int8,
    }
}

diesel::table! {
    members (project_id, person_id) { project_id -> Uuid, person_id -> Uuid, role -> Text, }
}

diesel::table! {
    sessions (id) {
        id -> Uuid, key_hash -> Bytea, person_id -> Nullable<Uuid>, state -> Jsonb, began_at -> Timestamptz, seen_at -> Timestamptz,
    }
}

diesel::table! {
    one_time_links (key_hash) { key_hash -> Bytea, person_id -> Uuid, ends_at -> Timestamptz, }
}

diesel::table! {
    identities (issuer, subject) {
        issuer -> Text, subject -> Text, person_id -> Uuid, called -> Text, made_at -> Timestamptz,
    }
}

diesel::table! {
    changes (shot_id, revision) { shot_id -> Uuid, revision -> Int8, subjects -> Array<Uuid>, }
}

diesel::table! {
    workers (id) {
        id -> Uuid, host -> Text, process -> Int4, kinds -> Array<Text>, lanes -> Array<Uuid>, began_at -> Timestamptz,
        seen_at -> Timestamptz, place -> Nullable<Uuid>,
    }
}

diesel::table! {
    look_links (id) {
        id -> Uuid, shot_id -> Uuid, key_hash -> Bytea, name -> Text, made_at -> Timestamptz, ends_at -> Timestamptz,
    }
}

diesel::table! {
    notes (id) {
        id -> Uuid, shot_id -> Uuid, frame -> Int4, mark -> Nullable<Jsonb>, author -> Text, text -> Text,
        answers -> Jsonb, made_at -> Timestamptz, done_at -> Nullable<Timestamptz>,
    }
}

diesel::table! {
    sign_in_tries (id) { id -> Uuid, at -> Timestamptz, name -> Text, address -> Text, }
}

diesel::table! {
    audit (number) { number -> Int8, at -> Timestamptz, person_id -> Nullable<Uuid>, what -> Text, }
}

diesel::joinable!(audit -> people (person_id));
diesel::joinable!(members -> people (person_id));
diesel::joinable!(members -> projects (project_id));
diesel::joinable!(sessions -> people (person_id));
diesel::joinable!(one_time_links -> people (person_id));
diesel::joinable!(identities -> people (person_id));
diesel::joinable!(look_links -> shots (shot_id));
diesel::joinable!(notes -> shots (shot_id));
diesel::joinable!(clips -> projects (project_id));
diesel::joinable!(shots -> projects (project_id));
diesel::joinable!(shots -> clips (clip_id));
diesel::joinable!(jobs -> shots (shot_id));
diesel::allow_tables_to_appear_in_same_query!(
    projects,
    clips,
    shots,
    samples,
    log,
    log_parts,
    jobs,
    recipes,
    pictures,
    looks,
    members,
    people,
    audit,
    sessions,
    one_time_links,
    identities,
    clip_places
);
