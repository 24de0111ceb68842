//! Somebody who visits a server: keeps the cookies that it sets.

use std::cell::RefCell;

use serde_json::Value;

use crate::{Answer, Server, request};

/// Somebody at a browser of their own.
pub struct Visitor {
    address: String,
    cookie: RefCell<Option<String>>,
}

impl Visitor {
    /// Somebody who was never here before.
    pub fn new(server: &Server) -> Self {
        Self { address: server.address.clone(), cookie: RefCell::new(None) }
    }

    /// At an address that is not a server's own.
    pub fn at(address: &str) -> Self {
        Self { address: address.to_owned(), cookie: RefCell::new(None) }
    }

    /// The same, with a cookie from somewhere else.
    pub fn with_cookie(server: &Server, cookie: &str) -> Self {
        Self { address: server.address.clone(), cookie: RefCell::new(Some(cookie.to_owned())) }
    }

    /// The cookie they have: name and value.
    pub fn cookie(&self) -> Option<String> {
        self.cookie.borrow().clone()
    }

    /// Asks for a path, as a script does.
    pub fn get(&self, path: &str) -> Answer {
        self.ask("GET", path, "", b"")
    }

    /// Opens a page.
    pub fn open(&self, path: &str) -> Answer {
        self.ask("GET", path, "Accept: text/html\r\n", b"")
    }

    /// Sends JSON.
    pub fn send(&self, method: &str, path: &str, body: &Value) -> Answer {
        self.ask(method, path, "Content-Type: application/json\r\n", body.to_string().as_bytes())
    }

    /// Sends a form.
    pub fn form(&self, path: &str, fields: &[(&str, &str)]) -> Answer {
        let body: String = url::form_urlencoded::Serializer::new(String::new()).extend_pairs(fields).finish();
        self.ask("POST", path, "Content-Type: application/x-www-form-urlencoded\r\n", body.as_bytes())
    }

    /// Signs in.
    pub fn sign_in(&self, name: &str, passphrase: &str) -> Answer {
        self.form("/sign-in", &[("name", name), ("passphrase", passphrase)])
    }

    /// Asks with more lines in the head, each with its end.
    pub fn ask(&self, method: &str, path: &str, extra: &str, body: &[u8]) -> Answer {
        let cookie = self.cookie().map(|cookie| format!("Cookie: {cookie}\r\n")).unwrap_or_default();
        let answer = request(&self.address, method, path, &format!("{cookie}{extra}"), body);
        for set in &answer.cookies {
            let kept = set.split(';').next().unwrap_or_default().to_owned();
            *self.cookie.borrow_mut() = Some(kept).filter(|kept| !kept.ends_with('='));
        }
        answer
    }
}
