//! The web server: pages, the JSON API, events, uploads, sign-in. Computes nothing itself.

mod access;
mod areas;
mod aside;
mod assets;
mod attachments;
mod authenticator;
mod clips;
mod covers;
mod data;
mod deletion;
mod error;
mod evaluated;
mod events;
mod exports;
mod film_clips;
mod follow;
mod forms;
mod frames;
mod graphics;
mod guard;
mod guides;
mod health;
mod here;
mod imports;
mod jobs;
mod listeners;
mod loading;
mod looking_at;
mod looks;
mod losses;
mod members;
mod metrics;
mod needs;
mod nets;
mod notes;
mod openid;
mod pages;
mod parts;
mod passphrases;
mod patches;
mod paths;
mod people;
mod pictures;
mod pins;
mod planes;
mod points;
mod projects;
mod queue;
mod ranges;
mod reach;
mod recent;
mod recipes;
mod run_columns;
mod scenes;
mod second_factor;
mod secrets;
mod sessions;
mod shots;
mod shutter;
mod sign_in;
mod sign_in_elsewhere;
mod spots;
mod state;
mod tries;
mod upload;
mod visitor;
mod watch;
mod weaves;
mod you;

use actix_web::dev::Server;
use actix_web::middleware::{Compress, from_fn};
use actix_web::{App, HttpServer, web};

pub use error::ApiError;
pub use metrics::Metrics;
pub use needs::{Kind, Needs, ROUTES};
pub use openid::Provider;
pub use people::make_link;
pub use reach::Reach;
pub use state::{AppState, ServeSettings};

/// Largest JSON body but a table's: an edit of some thousand samples. Read on the threads that answer, so it must be
/// quick (some ms).
const JSON_LIMIT: usize = 1 << 20;

/// Longest that the head of a request may take to come in.
const HEAD_TIMEOUT: std::time::Duration = std::time::Duration::from_secs(10);

/// Builds the server on a listening socket that the caller has bound: with TLS if `tls` says how.
pub fn serve(
    state: AppState,
    listener: std::net::TcpListener,
    tls: Option<rustls::ServerConfig>,
    workers: usize,
) -> std::io::Result<Server> {
    let state = web::Data::new(state);
    let server = HttpServer::new(move || {
        App::new()
            .app_data(state.clone())
            .app_data(web::PayloadConfig::new(pictures::LARGEST))
            .app_data(web::JsonConfig::default().limit(JSON_LIMIT).error_handler(error::bad_json))
            .app_data(web::QueryConfig::default().error_handler(error::bad_query))
            .app_data(web::PathConfig::default().error_handler(error::bad_path))
            .wrap(Compress::default())
            .wrap(from_fn(access::access))
            .wrap(sessions::middleware(&state))
            .wrap(from_fn(guard::guard))
            // Outermost: also what is refused is written down.
            .wrap(from_fn(watch::watch))
            .configure(routes)
    });
    // Pictures and events are many and small; a stopped server should not wait for open event streams.
    let server = server.workers(workers).client_request_timeout(HEAD_TIMEOUT).shutdown_timeout(1);
    let server = match tls {
        Some(config) => server.listen_rustls_0_23(listener, config)?,
        None => server.listen(listener)?,
    };
    Ok(server.run())
}

fn routes(config: &mut web::ServiceConfig) {
    config
        .service(pages::projects_page)
        .service(pages::project_page)
        .service(pages::bench_page)
        .service(assets::asset)
        .service(assets::favicon)
        .service(health::health)
        .service(health::metrics)
        .service(events::event_stream)
        .service(sign_in::sign_in_page)
        .service(sign_in::sign_in)
        .service(sign_in::sign_out)
        .service(second_factor::code_page)
        .service(second_factor::show_code)
        .service(second_factor::begin)
        .service(second_factor::picture)
        .service(second_factor::add)
        .service(second_factor::remove)
        .service(sign_in_elsewhere::leave)
        .service(sign_in_elsewhere::come_back)
        .service(sign_in_elsewhere::bind)
        .service(sign_in_elsewhere::unbind)
        .service(sign_in::welcome_page)
        .service(sign_in::welcome)
        .service(you::you_page)
        .service(you::rename)
        .service(you::set_passphrase)
        .service(you::end_others)
        .service(you::end)
        .service(people::people_page)
        .service(people::add)
        .service(people::change)
        .service(people::dismiss)
        .service(people::give_link)
        .service(members::members)
        .service(members::put_member)
        .service(members::remove_member)
        .service(looking_at::come)
        .service(looking_at::look_page)
        .service(looking_at::look_state)
        .service(looking_at::links)
        .service(looking_at::make_link)
        .service(looking_at::take_back)
        .service(here::here)
        .service(notes::notes)
        .service(notes::add)
        .service(notes::answer)
        .service(notes::change)
        .service(notes::remove)
        .service(projects::create)
        .service(projects::rename)
        .service(projects::project_state)
        .service(upload::put_clip)
        .service(clips::prepare_again)
        .service(clips::pace)
        .service(deletion::clip)
        .service(deletion::picture)
        .service(deletion::export)
        .service(deletion::project)
        .service(deletion::restore)
        .service(deletion::purge)
        // The longer name first: the shorter pattern would take it too.
        .service(frames::full)
        .service(frames::preview)
        .service(shots::shot_state)
        .service(shots::shot_samples)
        .service(scenes::shot_scene)
        .service(forms::shot_forms)
        .service(shots::pin_doubts)
        .service(losses::pin_losses)
        .service(shots::shot_log)
        .service(shots::make_edit)
        .service(shots::undo)
        .service(shots::redo)
        .service(pins::put_pin)
        .service(parts::add)
        .service(parts::remove)
        .service(areas::put_area)
        .service(areas::change_area)
        .service(nets::area_net)
        .service(points::place)
        .service(attachments::drag)
        .service(attachments::reshape)
        .service(attachments::lay)
        .service(covers::cover)
        .service(film_clips::hang)
        .service(frames::whole)
        .service(looks::dress)
        .service(looks::forget_look)
        .service(pictures::file)
        .service(pictures::project_pictures)
        .service(pictures::hang)
        .service(pictures::put_picture)
        .service(follow::start)
        .service(guides::set_guide)
        .service(spots::spots)
        .service(patches::patch)
        .service(ranges::change_range)
        .service(weaves::pin_weave)
        .service(shutter::shot_shutter)
        .service(paths::subject_path)
        .service(paths::preview_path)
        .service(recipes::default_recipe)
        .service(recipes::keep)
        .service(recipes::forget)
        .service(imports::look_at_table)
        .service(imports::import_samples)
        .service(jobs::cancel)
        .service(queue::queue)
        .service(queue::who_works)
        .service(queue::arrange)
        .service(queue::film)
        .service(pages::queue_page)
        .service(pages::deleted_page)
        .service(exports::start)
        .service(exports::download)
        .service(exports::still)
        .service(graphics::svg_file)
        .service(graphics::lottie_file)
        .service(graphics::webvtt_file)
        .service(data::data_file)
        .default_service(web::to(pages::not_found));
}
