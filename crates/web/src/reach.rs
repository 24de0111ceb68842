//! Who can reach the server, under which address, and how far that is trusted.

use std::net::IpAddr;

use actix_web::HttpRequest;
use actix_web::http::header::{HeaderMap, HeaderName};
use url::{Host, Url};

const FORWARDED_FOR: HeaderName = HeaderName::from_static("x-forwarded-for");

/// Who can reach the server.
#[derive(Clone, Debug)]
pub struct Reach {
    /// The address that people open, as `https://films.example`; without one: this machine's names.
    pub url: Option<Url>,
    /// The proxy in front, the only one that is answered.
    pub proxy: Option<IpAddr>,
    /// Whether whoever sits at the machine is its owner, until a passphrase is set.
    pub trusts_machine: bool,
}

impl Reach {
    /// Whether people come over TLS.
    pub fn is_secure(&self) -> bool {
        self.url.as_ref().is_some_and(|url| url.scheme() == "https")
    }

    /// Whether the server is called by one of its names: a page elsewhere could point a name of its own at it.
    pub(crate) fn is_ours(&self, host: &str) -> bool {
        match &self.url {
            Some(url) => host.eq_ignore_ascii_case(&authority(url)),
            None => {
                let name = host.rsplit_once(':').map_or(host, |(name, _)| name);
                matches!(name, "127.0.0.1" | "localhost" | "[::1]")
            }
        }
    }

    /// Whether a page that sends this `Origin` to this `Host` is one of ours.
    pub(crate) fn is_own_page(&self, origin: &str, host: &str) -> bool {
        match &self.url {
            Some(url) => origin == url.origin().ascii_serialization(),
            None => origin.strip_prefix("http://") == Some(host),
        }
    }

    /// What to say to who calls it otherwise.
    pub(crate) fn names(&self) -> String {
        match &self.url {
            Some(url) => format!("Open Jam Pin as {}.", url.origin().ascii_serialization()),
            None => "Open Jam Pin as 127.0.0.1 or localhost.".into(),
        }
    }

    /// Where who asks is: behind a proxy as the proxy says, which only adds to what it was told.
    pub(crate) fn address(&self, peer: Option<IpAddr>, headers: &HeaderMap) -> Option<IpAddr> {
        let peer = peer?;
        if self.proxy != Some(peer) {
            return Some(peer);
        }
        let said = headers.get_all(FORWARDED_FOR).last().and_then(|value| value.to_str().ok());
        Some(said.and_then(|list| list.rsplit(',').next()?.trim().parse().ok()).unwrap_or(peer))
    }

    /// The same of a request.
    pub(crate) fn address_of(&self, request: &HttpRequest) -> Option<IpAddr> {
        self.address(request.peer_addr().map(|peer| peer.ip()), request.headers())
    }
}

fn authority(url: &Url) -> String {
    let host = match url.host() {
        Some(Host::Ipv6(address)) => format!("[{address}]"),
        Some(host) => host.to_string(),
        None => String::new(),
    };
    url.port().map_or(host.clone(), |port| format!("{host}:{port}"))
}

#[cfg(test)]
mod tests {
    use actix_web::http::header::HeaderValue;

    use super::*;

    fn reach(url: Option<&str>, proxy: Option<&str>) -> Reach {
        let (url, proxy) = (url.map(|url| url.parse().unwrap()), proxy.map(|proxy| proxy.parse().unwrap()));
        Reach { url, proxy, trusts_machine: false }
    }

    #[test]
    fn without_an_address_it_goes_by_the_names_of_the_machine() {
        let local = reach(None, None);
        for host in ["127.0.0.1:8710", "localhost:8710", "localhost", "[::1]:8710"] {
            assert!(local.is_ours(host), "{host}");
            assert!(local.is_own_page(&format!("http://{host}"), host), "{host}");
        }
        for host in ["", "films.example", "127.0.0.1.films.example:8710", "localhost.films.example"] {
            assert!(!local.is_ours(host), "{host}");
        }
        assert!(!local.is_own_page("http://localhost:1", "localhost:8710"));
        assert!(!local.is_secure());
    }

    #[test]
    fn with_an_address_it_goes_by_that_alone() {
        let named = reach(Some("https://films.example/"), None);
        assert!(named.is_ours("films.example") && named.is_ours("FILMS.example"));
        assert!(!named.is_ours("127.0.0.1:8710") && !named.is_ours("films.example:444"));
        assert!(named.is_own_page("https://films.example", "films.example"));
        assert!(!named.is_own_page("http://films.example", "films.example"), "not over TLS");
        assert!(!named.is_own_page("null", "films.example"));
        assert!(named.is_secure());
        assert!(reach(Some("https://[fd00::1]:8443"), None).is_ours("[fd00::1]:8443"));
    }

    #[test]
    fn only_the_proxy_is_believed_and_only_what_it_added_itself() {
        let behind = reach(None, Some("10.0.0.1"));
        let mut headers = HeaderMap::new();
        headers.insert(FORWARDED_FOR, HeaderValue::from_static("6.6.6.6, 192.0.2.7"));
        let from = |peer: &str| behind.address(Some(peer.parse().unwrap()), &headers).unwrap().to_string();
        assert_eq!(from("10.0.0.1"), "192.0.2.7");
        assert_eq!(from("10.0.0.2"), "10.0.0.2");
        assert_eq!(
            behind.address(Some("10.0.0.1".parse().unwrap()), &HeaderMap::new()).unwrap().to_string(),
            "10.0.0.1"
        );
    }
}
