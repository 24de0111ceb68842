//! A real S3 server over a folder, on loopback, whose answers may be late, cut off or missing.

use std::convert::Infallible;
use std::fs;
use std::net::{SocketAddr, TcpListener};
use std::path::Path;
use std::sync::Arc;
use std::sync::atomic::{AtomicU8, AtomicU64, Ordering};

use bytes::Bytes;
use futures_util::stream;
use http::header::CONTENT_LENGTH;
use http_body_util::{BodyExt, StreamBody};
use hyper::body::{Frame, Incoming};
use hyper_util::rt::{TokioExecutor, TokioIo};
use hyper_util::server::conn::auto::Builder;
use s3s::auth::SimpleAuth;
use s3s::service::{S3Service, S3ServiceBuilder};
use s3s::{Body, HttpResponse};
use s3s_fs::FileSystem;
use tempfile::TempDir;

/// The bucket that is there.
pub const BUCKET: &str = "films";
const KEYS: [&str; 2] = ["jampin-tests", "only for tests, on loopback"];
/// Longer answers are cut off, when they are.
const CUT_AT: usize = 20_000;

/// How it answers.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[repr(u8)]
pub enum Weather {
    /// As it should.
    Fair,
    /// Every third request is told to come again.
    Busy,
    /// Every second long answer breaks off in the middle.
    Cut,
    /// Not at all: 503 to everything.
    Down,
}

/// An S3 server; it ends with the process.
pub struct ObjectStore {
    folder: Option<TempDir>,
    address: SocketAddr,
    weather: Arc<AtomicU8>,
}

impl ObjectStore {
    /// Over a new folder, on a free port of loopback.
    ///
    /// # Panics
    /// When it does not come up.
    pub fn start() -> Self {
        let folder = tempfile::tempdir().expect("a folder for objects");
        let store = Self::over(folder.path(), "127.0.0.1:0");
        Self { folder: Some(folder), ..store }
    }

    /// Over a folder, at an address.
    ///
    /// # Panics
    /// When it does not come up.
    pub fn over(folder: &Path, address: &str) -> Self {
        fs::create_dir_all(folder.join(BUCKET)).expect("a bucket");
        let listener = TcpListener::bind(address).expect("the address is free");
        listener.set_nonblocking(true).expect("a listener that does not block");
        let address = listener.local_addr().expect("an address");
        let mut service = S3ServiceBuilder::new(FileSystem::new(folder).expect("the folder can be used"));
        service.set_auth(SimpleAuth::from_single(KEYS[0], KEYS[1]));
        let weather = Arc::new(AtomicU8::new(Weather::Fair as u8));
        let front = Front { service: service.build(), weather: Arc::clone(&weather), asked: Arc::default() };
        std::thread::spawn(move || {
            let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build();
            runtime.expect("threads").block_on(front.serve(listener));
        });
        Self { folder: None, address, weather }
    }

    /// How it is reached, as environment variables.
    pub fn environment(&self) -> Vec<(&'static str, String)> {
        environment(&format!("http://{}", self.address))
    }

    /// Where it listens.
    pub fn address(&self) -> SocketAddr {
        self.address
    }

    /// Changes how it answers.
    pub fn set(&self, weather: Weather) {
        self.weather.store(weather as u8, Ordering::SeqCst);
    }

    /// The files that are in the bucket.
    ///
    /// # Panics
    /// When the folder is not its own.
    pub fn keys(&self) -> Vec<String> {
        let bucket = self.folder.as_ref().expect("a folder of its own").path().join(BUCKET);
        let mut keys = Vec::new();
        collect(&bucket, &bucket, &mut keys);
        keys.sort();
        keys
    }

    /// The bytes of an object, and a way to change them behind everybody's back.
    ///
    /// # Panics
    /// When the folder is not its own.
    pub fn file(&self, key: &str) -> std::path::PathBuf {
        self.folder.as_ref().expect("a folder of its own").path().join(BUCKET).join(key)
    }
}

/// How a server at this URL is reached, as environment variables.
pub fn environment(url: &str) -> Vec<(&'static str, String)> {
    vec![
        ("JAMPIN_OBJECT_STORE", format!("s3://{BUCKET}/kept")),
        ("AWS_ENDPOINT", url.to_owned()),
        ("AWS_REGION", "us-east-1".into()),
        ("AWS_ACCESS_KEY_ID", KEYS[0].into()),
        ("AWS_SECRET_ACCESS_KEY", KEYS[1].into()),
        ("AWS_ALLOW_HTTP", "true".into()),
    ]
}

fn collect(folder: &Path, bucket: &Path, keys: &mut Vec<String>) {
    for path in fs::read_dir(folder).into_iter().flatten().flatten().map(|entry| entry.path()) {
        let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
        if path.is_dir() {
            collect(&path, bucket, keys);
        } else if !name.starts_with('.') {
            keys.push(path.strip_prefix(bucket).unwrap_or(&path).to_string_lossy().into_owned());
        }
    }
}

#[derive(Clone)]
struct Front {
    service: S3Service,
    weather: Arc<AtomicU8>,
    asked: Arc<AtomicU64>,
}

impl Front {
    async fn serve(self, listener: TcpListener) {
        let listener = tokio::net::TcpListener::from_std(listener).expect("a listener");
        loop {
            let Ok((socket, _)) = listener.accept().await else { continue };
            let front = self.clone();
            tokio::spawn(async move {
                let answer = hyper::service::service_fn(move |request| {
                    let front = front.clone();
                    async move { Ok::<_, Infallible>(front.answer(request).await) }
                });
                // Whoever asked and went away is no fault here.
                let _ = Builder::new(TokioExecutor::new()).serve_connection(TokioIo::new(socket), answer).await;
            });
        }
    }

    async fn answer(&self, request: http::Request<Incoming>) -> HttpResponse {
        let asked = self.asked.fetch_add(1, Ordering::SeqCst);
        let weather = self.weather.load(Ordering::SeqCst);
        let is = |one: Weather| weather == one as u8;
        if is(Weather::Down) || is(Weather::Busy) && asked % 3 == 2 {
            let mut busy = HttpResponse::new(Body::empty());
            *busy.status_mut() = http::StatusCode::SERVICE_UNAVAILABLE;
            return busy;
        }
        let answer = self.service.call(request.map(Body::from)).await;
        let answer = answer.unwrap_or_else(|_| {
            let mut broken = HttpResponse::new(Body::empty());
            *broken.status_mut() = http::StatusCode::INTERNAL_SERVER_ERROR;
            broken
        });
        if is(Weather::Cut) && asked.is_multiple_of(2) { cut(answer).await } else { answer }
    }
}

/// Says how long it is, and breaks off before.
async fn cut(answer: HttpResponse) -> HttpResponse {
    let (mut head, body) = answer.into_parts();
    let bytes = body.collect().await.map(|all| all.to_bytes()).unwrap_or_default();
    if bytes.len() <= CUT_AT {
        return HttpResponse::from_parts(head, Body::from(bytes));
    }
    head.headers.insert(CONTENT_LENGTH, bytes.len().into());
    let parts = [Ok(Frame::data(bytes.slice(..CUT_AT))), Err(std::io::Error::other("cut off by a test"))];
    let body = StreamBody::new(stream::iter(parts));
    HttpResponse::from_parts(head, Body::http_body_unsync(body.map_frame(|frame: Frame<Bytes>| frame)))
}
