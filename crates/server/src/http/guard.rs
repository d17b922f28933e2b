//! Who may talk to the program: requests for its own address that show its token, and writes and
//! streams only from its own pages.
//!
//! The Host check stops another site's name from being pointed at this machine; the Origin check
//! stops another site's page from writing; the token ([`Token`]) stops the machine's other users.

use std::net::SocketAddr;
use std::sync::Arc;

use axum::extract::{Request, State};
use axum::http::{HeaderMap, HeaderValue, Method, StatusCode, header};
use axum::middleware::Next;
use axum::response::{Html, IntoResponse, Response};

use crate::app::token::Token;
use crate::http::problem::Problem;

/// What the program answers to.
#[derive(Clone)]
pub struct Guard(Arc<Known>);

struct Known {
    hosts: [String; 3],
    /// The cookie's name holds the port: a browser keeps one jar for all ports of a machine.
    cookie: String,
    token: Token,
}

/// The path of the printed address.
const ENTER: &str = "/enter";

/// Where a calendar program reads.
const CALENDAR: &str = "/api/calendar.ics";
/// How long the browser keeps the cookie: a year, in seconds.
const KEPT: u32 = 31_536_000;

impl Guard {
    /// Loopback names at the port that is listened on, and the token that must be shown.
    pub fn loopback(address: SocketAddr, token: Token) -> Guard {
        let port = address.port();
        Guard(Arc::new(Known {
            hosts: ["127.0.0.1", "localhost", "[::1]"].map(|h| format!("{h}:{port}")),
            cookie: format!("pikebell-{port}"),
            token,
        }))
    }

    /// The address that signs a browser in, to be printed.
    pub fn entrance(&self, address: SocketAddr) -> String {
        format!("http://{address}{ENTER}?token={}", self.0.token.text())
    }

    fn knows(&self, host: &str) -> bool {
        self.0.hosts.iter().any(|h| h.eq_ignore_ascii_case(host))
    }

    /// Whether the token is shown, as a cookie or by a program.
    fn admits(&self, headers: &HeaderMap) -> bool {
        let told = text(headers, &header::AUTHORIZATION).and_then(|v| v.strip_prefix("Bearer "));
        let kept = headers
            .get_all(header::COOKIE)
            .iter()
            .filter_map(|v| v.to_str().ok())
            .flat_map(|v| v.split(';'))
            .filter_map(|pair| pair.trim().split_once('='))
            .filter(|(name, _)| *name == self.0.cookie)
            .map(|(_, value)| value);
        told.into_iter().chain(kept).any(|t| self.0.token.is(t))
    }

    /// The token in an address.
    fn in_address(&self, request: &Request) -> bool {
        let query = request.uri().query();
        query
            .into_iter()
            .flat_map(|q| q.split('&'))
            .find_map(|pair| pair.strip_prefix("token="))
            .is_some_and(|t| self.0.token.is(t))
    }

    /// A calendar program knows only an address: the calendar, and nothing else, is read by it.
    fn shows_calendar(&self, request: &Request) -> bool {
        *request.method() == Method::GET
            && request.uri().path() == CALENDAR
            && self.in_address(request)
    }

    /// Gives the browser its cookie and leads it to the first page; the page is its own, so that
    /// the browser's next request comes from here and takes the cookie along.
    fn enter(&self, request: &Request) -> Response {
        if !self.in_address(request) {
            return strangers(request.headers());
        }
        let cookie = format!(
            "{}={}; HttpOnly; SameSite=Strict; Path=/; Max-Age={KEPT}",
            self.0.cookie,
            self.0.token.text()
        );
        let mut answer = Html(
            "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><title>Pike Bell</title>\
             <meta http-equiv=\"refresh\" content=\"0; url=/\">\
             <p>Signed in. <a href=\"/\">Go on to Pike Bell</a></p></html>",
        )
        .into_response();
        if let Ok(cookie) = HeaderValue::from_str(&cookie) {
            answer.headers_mut().insert(header::SET_COOKIE, cookie);
        }
        answer
    }
}

/// What someone without the token reads.
fn strangers(headers: &HeaderMap) -> Response {
    if text(headers, &header::ACCEPT).is_some_and(|a| a.contains("text/html")) {
        let page = "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\">\
             <title>Pike Bell</title>\
             <style>:root{color-scheme:light dark}body{font:16px/1.5 system-ui,sans-serif;\
             max-width:36rem;margin:20vh auto;padding:0 1rem}</style>\
             <h1>Pike Bell</h1><p>This browser is not signed in. Open the address that the program \
             printed when it started: it ends in <code>/enter?token=…</code> and is needed \
             once.</p></html>";
        return (StatusCode::UNAUTHORIZED, Html(page)).into_response();
    }
    Problem::new(
        StatusCode::UNAUTHORIZED,
        "no_token",
        "the token is missing or another one: open the address that the program printed when it \
         started; programs send the token of the file beside the database as \"Authorization: \
         Bearer TOKEN\"",
    )
    .into_response()
}

fn text<'a>(headers: &'a HeaderMap, name: &header::HeaderName) -> Option<&'a str> {
    headers.get(name).and_then(|v| v.to_str().ok())
}

pub(crate) async fn check(State(guard): State<Guard>, request: Request, next: Next) -> Response {
    let headers = request.headers();
    let host = text(headers, &header::HOST).unwrap_or_default();
    if !guard.knows(host) {
        return Problem::new(
            StatusCode::MISDIRECTED_REQUEST,
            "wrong_host",
            format!("{host:?} is not an address of this program"),
        )
        .into_response();
    }
    let reads = matches!(
        *request.method(),
        Method::GET | Method::HEAD | Method::OPTIONS
    ) && !headers.contains_key(header::UPGRADE);
    if !reads && let Some(origin) = text(headers, &header::ORIGIN) {
        let own = origin
            .strip_prefix("http://")
            .is_some_and(|o| guard.knows(o));
        if !own {
            return Problem::new(
                StatusCode::FORBIDDEN,
                "wrong_origin",
                format!("{origin:?} may not write here"),
            )
            .into_response();
        }
    }
    if request.uri().path() == ENTER {
        return guard.enter(&request);
    }
    if !guard.admits(headers) && !guard.shows_calendar(&request) {
        return strangers(headers);
    }
    next.run(request).await
}
