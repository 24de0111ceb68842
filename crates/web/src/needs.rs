//! What every route asks of who wants it. A route that is not in this table is not there for anybody.

use jampin_store::Role::{self, Editor, Owner, Viewer};

/// What is asked of who wants something.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Needs {
    /// Nothing.
    Nothing,
    /// To be signed in, or to have come by a link to look at a shot.
    Somebody,
    /// To be signed in.
    Person,
    /// To be an administrator.
    Administrator,
    /// To be this, or more, in the project that the first identity in the path belongs to.
    Member(Kind, Role),
    /// The same of a viewer, or to have come by a link to look at a shot that the thing is seen in.
    Look(Kind),
}

/// What the first identity in a path is of.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Kind {
    /// A project.
    Project,
    /// A clip.
    Clip,
    /// A shot.
    Shot,
    /// A picture.
    Picture,
    /// A job.
    Job,
}

use Kind::{Clip, Job, Picture, Project, Shot};
use Needs::{Administrator, Look, Member, Nothing, Person, Somebody};

/// Method, pattern of the path, and what it needs.
pub const ROUTES: &[(&str, &str, Needs)] = &[
    // Pages
    ("GET", "/", Person),
    ("GET", "/deleted", Person),
    ("GET", "/look", Nothing),
    ("GET", "/look/{id}", Look(Shot)),
    ("GET", "/people", Administrator),
    ("GET", "/projects/{id}", Member(Project, Viewer)),
    ("GET", "/queue", Person),
    ("GET", "/shots/{id}", Member(Shot, Viewer)),
    ("GET", "/sign-in", Nothing),
    ("POST", "/sign-in", Nothing),
    ("GET", "/sign-in/back", Nothing),
    ("GET", "/sign-in/code", Nothing),
    ("POST", "/sign-in/code", Nothing),
    ("GET", "/sign-in/elsewhere", Nothing),
    ("POST", "/sign-out", Nothing),
    ("GET", "/welcome", Nothing),
    ("POST", "/welcome", Nothing),
    ("GET", "/you", Person),
    ("GET", "/you/second-factor.svg", Person),
    // What pages are made of
    ("GET", "/assets/{version}/{name:.+}", Nothing),
    ("GET", "/clips/{id}/frames/{frame}.full.jpg", Look(Clip)),
    ("GET", "/clips/{id}/frames/{frame}.jpg", Look(Clip)),
    ("GET", "/clips/{id}/frames/{frame}.png", Look(Clip)),
    ("GET", "/favicon.ico", Nothing),
    ("GET", "/pictures/{id}", Look(Picture)),
    // Of the server
    ("GET", "/api/events", Somebody),
    ("GET", "/api/queue", Person),
    ("GET", "/api/recipes/default", Person),
    ("POST", "/api/tables", Person),
    ("GET", "/api/workers", Person),
    ("GET", "/health", Nothing),
    ("GET", "/metrics", Administrator),
    // People
    ("POST", "/api/people", Administrator),
    ("PATCH", "/api/people/{id}", Administrator),
    ("DELETE", "/api/people/{id}", Administrator),
    ("POST", "/api/people/{id}/link", Administrator),
    ("PATCH", "/api/you", Person),
    ("PUT", "/api/you/passphrase", Person),
    ("DELETE", "/api/you/elsewhere", Person),
    ("POST", "/api/you/elsewhere", Person),
    ("DELETE", "/api/you/second-factor", Person),
    ("POST", "/api/you/second-factor", Person),
    ("PUT", "/api/you/second-factor", Person),
    ("DELETE", "/api/you/sessions", Person),
    ("DELETE", "/api/you/sessions/{id}", Person),
    // Projects
    ("POST", "/api/projects", Person),
    ("GET", "/api/projects/{id}", Member(Project, Viewer)),
    ("PATCH", "/api/projects/{id}", Member(Project, Editor)),
    ("DELETE", "/api/projects/{id}", Member(Project, Owner)),
    ("PUT", "/api/projects/{id}/clips", Member(Project, Editor)),
    ("POST", "/api/projects/{id}/film", Member(Project, Editor)),
    ("DELETE", "/api/projects/{id}/for-good", Member(Project, Owner)),
    ("DELETE", "/api/projects/{id}/looks/{name}", Member(Project, Editor)),
    ("GET", "/api/projects/{id}/members", Member(Project, Viewer)),
    ("PUT", "/api/projects/{id}/members", Member(Project, Owner)),
    ("DELETE", "/api/projects/{id}/members/{person}", Member(Project, Owner)),
    ("POST", "/api/projects/{id}/order", Member(Project, Editor)),
    ("GET", "/api/projects/{id}/pictures", Member(Project, Viewer)),
    ("PUT", "/api/projects/{id}/pictures", Member(Project, Editor)),
    ("PUT", "/api/projects/{id}/recipes/{name}", Member(Project, Editor)),
    ("DELETE", "/api/projects/{id}/recipes/{name}", Member(Project, Editor)),
    ("POST", "/api/projects/{id}/restore", Member(Project, Owner)),
    // Clips, pictures, finished films, jobs
    ("DELETE", "/api/clips/{id}", Member(Clip, Editor)),
    ("GET", "/api/clips/{id}/pace", Member(Clip, Viewer)),
    ("POST", "/api/clips/{id}/prepare", Member(Clip, Editor)),
    ("DELETE", "/api/pictures/{id}", Member(Picture, Editor)),
    ("DELETE", "/api/exports/{job}", Member(Job, Editor)),
    ("GET", "/api/exports/{job}/film", Member(Job, Viewer)),
    ("POST", "/api/jobs/{id}/cancel", Member(Job, Editor)),
    // Shots: looked at by a director, with notes
    ("GET", "/api/shots/{id}/look", Look(Shot)),
    ("GET", "/api/shots/{id}/links", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/links", Member(Shot, Editor)),
    ("DELETE", "/api/shots/{id}/links/{link}", Member(Shot, Editor)),
    ("GET", "/api/shots/{id}/notes", Look(Shot)),
    ("POST", "/api/shots/{id}/notes", Look(Shot)),
    ("PATCH", "/api/shots/{id}/notes/{note}", Member(Shot, Editor)),
    ("DELETE", "/api/shots/{id}/notes/{note}", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/notes/{note}/answers", Look(Shot)),
    // Shots: looked at
    ("GET", "/api/shots/{id}", Member(Shot, Viewer)),
    ("GET", "/api/shots/{id}/areas/{area}/net", Member(Shot, Viewer)),
    ("GET", "/api/shots/{id}/forms", Member(Shot, Viewer)),
    ("GET", "/api/shots/{id}/graphics.lottie.json", Member(Shot, Viewer)),
    ("GET", "/api/shots/{id}/graphics.svg", Member(Shot, Viewer)),
    ("GET", "/api/shots/{id}/labels.vtt", Member(Shot, Viewer)),
    ("GET", "/api/shots/{id}/log", Member(Shot, Viewer)),
    ("GET", "/api/shots/{id}/pins/{pin}/doubts", Member(Shot, Viewer)),
    ("GET", "/api/shots/{id}/pins/{pin}/losses", Member(Shot, Viewer)),
    ("GET", "/api/shots/{id}/pins/{pin}/weave/{which}.png", Member(Shot, Viewer)),
    ("GET", "/api/shots/{id}/pins/{pin}/{which}.png", Member(Shot, Viewer)),
    ("GET", "/api/shots/{id}/samples", Member(Shot, Viewer)),
    ("GET", "/api/shots/{id}/scene", Look(Shot)),
    ("GET", "/api/shots/{id}/shutter", Member(Shot, Viewer)),
    ("GET", "/api/shots/{id}/spots", Member(Shot, Viewer)),
    ("GET", "/api/shots/{id}/still", Member(Shot, Viewer)),
    ("GET", "/api/shots/{id}/subjects/{subject}/path", Member(Shot, Viewer)),
    ("GET", r"/api/shots/{id}/{file:(?:samples|matrices)\.(?:csv|json)|keys\.csv|path\.json}", Member(Shot, Viewer)),
    // Only computes, or tells the others: nothing is kept.
    ("POST", "/api/shots/{id}/here", Member(Shot, Viewer)),
    ("POST", "/api/shots/{id}/subjects/{subject}/path", Member(Shot, Viewer)),
    // Shots: worked on
    ("DELETE", "/api/shots/{id}", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/areas", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/areas/{area}", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/attachments/{attachment}/lay", Member(Shot, Editor)),
    ("PUT", "/api/shots/{id}/attachments/{attachment}/look/{name}", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/attachments/{attachment}/move", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/attachments/{attachment}/reshape", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/edits", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/exports", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/follow", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/guides", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/import", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/parts", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/pins", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/ranges", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/redo", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/subjects/{subject}/clips", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/subjects/{subject}/covers", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/subjects/{subject}/pictures", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/subjects/{subject}/points", Member(Shot, Editor)),
    ("POST", "/api/shots/{id}/undo", Member(Shot, Editor)),
];

/// What a route needs; nothing where there is no such route.
pub(crate) fn needs_of(method: &str, pattern: &str) -> Option<Needs> {
    ROUTES.iter().find(|(by, of, _)| (*by, *of) == (method, pattern)).map(|(_, _, needs)| *needs)
}
