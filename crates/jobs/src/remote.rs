//! An object store: what is kept is there, and the folder of media is a cache of it.
//!
//! Every object has the path of its file in the folder as its key. What is sent carries its SHA-256, so that what arrives
//! broken is refused; what is fetched is counted. Requests that fail for a reason that may pass are made again.

use std::fmt;
use std::io;
use std::path::Path;
use std::sync::Arc;
use std::time::{Duration, SystemTime};

use bytes::Bytes;
use futures_util::stream::{BoxStream, StreamExt, TryStreamExt};
use jampin_media::MediaError;
use object_store::aws::{AmazonS3Builder, Checksum};
use object_store::path::Path as Key;
use object_store::{ClientOptions, Error, ObjectStore, ObjectStoreExt, RetryConfig, WriteMultipart};
use tokio::io::{AsyncReadExt, AsyncWriteExt};

/// Longer files are sent in parts of this many bytes.
const PART: usize = 8 << 20;
/// Parts of one file that are on their way at once.
const PARTS_AT_ONCE: usize = 4;
/// How long one request may take, and all its repetitions together.
const PATIENCE: [Duration; 2] = [Duration::from_secs(30), Duration::from_secs(10)];

/// An object store, or a part of one.
#[derive(Clone)]
pub struct Remote {
    store: Arc<dyn ObjectStore>,
    root: Key,
}

impl fmt::Debug for Remote {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}/{}", self.store, self.root)
    }
}

/// An object that is there.
#[derive(Clone, Debug)]
pub(crate) struct Found {
    /// Its key.
    pub key: String,
    /// When it was put there.
    pub at: SystemTime,
}

impl Remote {
    /// By its address, `s3://bucket/path`. How it is reached is said by the environment as everywhere else
    /// (`AWS_ENDPOINT`, `AWS_ACCESS_KEY_ID`, `AWS_SECRET_ACCESS_KEY`, `AWS_REGION`, `AWS_ALLOW_HTTP`).
    pub fn s3(url: &str) -> Result<Self, MediaError> {
        let bad = |why: String| MediaError::BadInput(format!("{url} cannot be used as object store: {why}."));
        let rest = url.strip_prefix("s3://").ok_or_else(|| bad("it is no s3://bucket/path".into()))?;
        let path = rest.split_once('/').map_or("", |(_, path)| path);
        let retry = RetryConfig { max_retries: 5, retry_timeout: PATIENCE[1], ..RetryConfig::default() };
        let client = ClientOptions::new().with_timeout(PATIENCE[0]).with_connect_timeout(Duration::from_secs(5));
        let client = if std::env::var("AWS_ALLOW_HTTP").is_ok_and(|said| said == "true" || said == "1") {
            client.with_allow_http(true)
        } else {
            client
        };
        let builder = AmazonS3Builder::from_env().with_url(url).with_retry(retry).with_client_options(client);
        let store =
            builder.with_checksum_algorithm(Checksum::SHA256).build().map_err(|error| bad(error.to_string()))?;
        let root = Key::parse(path).map_err(|error| bad(error.to_string()))?;
        Ok(Self::new(Arc::new(store), root))
    }

    fn new(store: Arc<dyn ObjectStore>, root: Key) -> Self {
        Self { store, root }
    }

    #[cfg(test)]
    pub(crate) fn in_memory() -> Self {
        Self::new(Arc::new(object_store::memory::InMemory::new()), Key::from("here"))
    }

    fn key(&self, key: &str) -> Key {
        self.root.parts().chain(Key::from(key).parts()).collect()
    }

    /// Whether it answers.
    pub async fn is_there(&self) -> Result<(), MediaError> {
        match self.store.head(&self.key("installation")).await {
            Ok(_) | Err(Error::NotFound { .. }) => Ok(()),
            Err(error) => Err(failed(error)),
        }
    }

    /// Puts a file there: whole or not at all.
    pub(crate) async fn put(&self, key: &str, file: &Path) -> Result<(), MediaError> {
        let key = self.key(key);
        let mut file = tokio::fs::File::open(file).await.map_err(MediaError::io("reading a file to keep"))?;
        let length = file.metadata().await.map_err(MediaError::io("reading a file to keep"))?.len();
        if length <= PART as u64 {
            let mut bytes = Vec::with_capacity(length as usize);
            file.read_to_end(&mut bytes).await.map_err(MediaError::io("reading a file to keep"))?;
            return self.store.put(&key, bytes.into()).await.map(|_| ()).map_err(failed);
        }
        let upload = self.store.put_multipart(&key).await.map_err(failed)?;
        let mut parts = WriteMultipart::new_with_chunk_size(upload, PART);
        match send(&mut file, &mut parts).await {
            Ok(()) => parts.finish().await.map(|_| ()).map_err(failed),
            Err(error) => {
                // What was sent of it would be paid for.
                let _ = parts.abort().await;
                Err(error)
            }
        }
    }

    /// Puts a small object there.
    pub(crate) async fn put_text(&self, key: &str, text: String) -> Result<(), MediaError> {
        self.store.put(&self.key(key), text.into_bytes().into()).await.map(|_| ()).map_err(failed)
    }

    /// The text of a small object; `None` when it is not there.
    pub(crate) async fn text(&self, key: &str) -> Result<Option<String>, MediaError> {
        let got = match self.store.get(&self.key(key)).await {
            Ok(got) => got.bytes().await.map_err(failed)?,
            Err(Error::NotFound { .. }) => return Ok(None),
            Err(error) => return Err(failed(error)),
        };
        Ok(Some(String::from_utf8_lossy(&got).into_owned()))
    }

    /// The bytes of an object and how many there are; `None` when it is not there.
    pub(crate) async fn open(
        &self,
        key: &str,
    ) -> Result<Option<(u64, BoxStream<'static, io::Result<Bytes>>)>, MediaError> {
        match self.store.get(&self.key(key)).await {
            Ok(got) => {
                let length = got.meta.size;
                Ok(Some((length, got.into_stream().map_err(io::Error::other).boxed())))
            }
            Err(Error::NotFound { .. }) => Ok(None),
            Err(error) => Err(failed(error)),
        }
    }

    /// Fetches an object into a file; whether it was there.
    pub(crate) async fn fetch(&self, key: &str, to: &Path) -> Result<bool, MediaError> {
        let Some((length, mut bytes)) = self.open(key).await? else { return Ok(false) };
        let fetching = || MediaError::io("fetching a kept file");
        let mut file = tokio::fs::File::create(to).await.map_err(fetching())?;
        let mut written = 0;
        while let Some(chunk) = bytes.try_next().await.map_err(broken_off)? {
            file.write_all(&chunk).await.map_err(fetching())?;
            written += chunk.len() as u64;
        }
        file.flush().await.map_err(fetching())?;
        if written == length { Ok(true) } else { Err(broken_off(io::ErrorKind::UnexpectedEof.into())) }
    }

    /// What there is below a key.
    pub(crate) async fn list(&self, below: &str) -> Result<Vec<Found>, MediaError> {
        let root = self.root.as_ref().len() + usize::from(!self.root.as_ref().is_empty());
        let found = self.store.list(Some(&self.key(below))).map_ok(|object| Found {
            key: object.location.as_ref().get(root..).unwrap_or_default().to_owned(),
            at: object.last_modified.into(),
        });
        found.try_collect().await.map_err(failed)
    }

    /// Takes objects away; those that are not there are gone already.
    pub(crate) async fn remove(&self, keys: Vec<String>) -> Result<(), MediaError> {
        let keys: Vec<Key> = keys.iter().map(|key| self.key(key)).collect();
        let gone = self.store.delete_stream(futures_util::stream::iter(keys.into_iter().map(Ok)).boxed());
        let ended = gone.filter(|one| std::future::ready(!matches!(one, Err(Error::NotFound { .. }))));
        ended.try_for_each(|_| std::future::ready(Ok(()))).await.map_err(failed)
    }

    /// Takes away all that is below a key.
    pub(crate) async fn remove_below(&self, key: &str) -> Result<(), MediaError> {
        let keys = self.list(key).await?.into_iter().map(|found| found.key).collect();
        self.remove(keys).await
    }
}

async fn send(file: &mut tokio::fs::File, parts: &mut WriteMultipart) -> Result<(), MediaError> {
    let mut chunk = vec![0; 1 << 20];
    loop {
        let count = file.read(&mut chunk).await.map_err(MediaError::io("reading a file to keep"))?;
        if count == 0 {
            return Ok(());
        }
        parts.wait_for_capacity(PARTS_AT_ONCE).await.map_err(failed)?;
        parts.write(&chunk[..count]);
    }
}

fn failed(error: Error) -> MediaError {
    tracing::warn!(%error, "the object store");
    MediaError::Unreachable
}

fn broken_off(error: io::Error) -> MediaError {
    tracing::warn!(%error, "the object store broke off");
    MediaError::Unreachable
}
