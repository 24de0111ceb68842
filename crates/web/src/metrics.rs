//! What the server counts about itself, for a collector (the text format of Prometheus, 0.0.4).

use std::time::Duration;

use actix_web::http::Method;
use prometheus::{HistogramOpts, HistogramVec, IntGauge, IntGaugeVec, Opts, Registry, TextEncoder};

/// Upper ends of the groups of times, in seconds: what a person does not notice, notices, and waits for.
const SECONDS: [f64; 9] = [0.005, 0.02, 0.05, 0.1, 0.3, 1.0, 3.0, 10.0, 60.0];

/// The counters; clones count together.
#[derive(Clone, Debug)]
pub struct Metrics {
    registry: Registry,
    requests: HistogramVec,
    jobs: IntGaugeVec,
    room: IntGauge,
    /// Pages that listen for news.
    pub(crate) streams: IntGauge,
    /// Films that are coming in.
    pub(crate) uploads: IntGauge,
}

impl Metrics {
    /// All at nothing.
    pub fn new() -> prometheus::Result<Self> {
        let seconds = HistogramOpts::new("jampin_request_seconds", "Time from a request to the head of its answer");
        let metrics = Self {
            registry: Registry::new(),
            requests: HistogramVec::new(seconds.buckets(SECONDS.to_vec()), &["method", "route", "status"])?,
            jobs: IntGaugeVec::new(Opts::new("jampin_jobs", "Long work by kind and state"), &["kind", "state"])?,
            room: IntGauge::new("jampin_media_free_bytes", "Free bytes where the media are")?,
            streams: IntGauge::new("jampin_event_streams", "Pages that listen for news")?,
            uploads: IntGauge::new("jampin_uploads", "Films that are coming in")?,
        };
        metrics.registry.register(Box::new(metrics.requests.clone()))?;
        metrics.registry.register(Box::new(metrics.jobs.clone()))?;
        for gauge in [&metrics.room, &metrics.streams, &metrics.uploads] {
            metrics.registry.register(Box::new(gauge.clone()))?;
        }
        Ok(metrics)
    }

    /// Counts a request by the pattern of its route: an address with identities in it would be a counter each.
    pub(crate) fn answered(&self, method: &Method, route: &str, status: u16, took: Duration) {
        let labels = [method.as_str(), route, &status.to_string()];
        self.requests.with_label_values(&labels).observe(took.as_secs_f64());
    }

    /// All of it as text, with how much work there is and how much room.
    pub(crate) fn text(&self, jobs: &[(String, String, i64)], room: Option<u64>) -> prometheus::Result<String> {
        self.jobs.reset();
        for (kind, state, count) in jobs {
            self.jobs.with_label_values(&[kind, state]).set(*count);
        }
        if let Some(room) = room {
            self.room.set(i64::try_from(room).unwrap_or(i64::MAX));
        }
        TextEncoder::new().encode_to_string(&self.registry.gather())
    }
}

/// One more, until it is let go of.
#[derive(Debug)]
pub(crate) struct Counted(IntGauge);

impl Counted {
    pub fn new(gauge: &IntGauge) -> Self {
        gauge.inc();
        Self(gauge.clone())
    }
}

impl Drop for Counted {
    fn drop(&mut self) {
        self.0.dec();
    }
}
