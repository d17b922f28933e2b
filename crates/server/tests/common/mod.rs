//! The whole program without a socket: the router on a database in a temporary folder.
#![allow(dead_code, clippy::unwrap_used)]

use std::sync::Arc;

use axum::Router;
use axum::body::{Body, to_bytes};
use axum::http::{Request, StatusCode, header};
use serde_json::{Value, json};
use server::{Beginning, Desk, Guard, Runs, Settings, Token, open, router};
use tempfile::TempDir;
use tower::ServiceExt;

pub const HOST: &str = "127.0.0.1:7311";
pub const SEED: u64 = 7;
/// The token of every test's database.
pub const TOKEN: &str = "0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef";

/// A database folder that outlives the program, so that it can be opened again.
pub struct Place(TempDir);

impl Place {
    pub fn new() -> Place {
        let place = Place(tempfile::tempdir().unwrap());
        std::fs::write(Token::place(&place.data()), TOKEN).unwrap();
        place
    }

    /// The database file.
    pub fn data(&self) -> std::path::PathBuf {
        self.0.path().join("desk.db")
    }

    /// What admits requests that show the token.
    pub fn guard(&self, address: &str) -> Guard {
        let token = Token::of(&self.data()).unwrap();
        Guard::loopback(address.parse().unwrap(), token)
    }

    /// Opens the database: new the first time, as it was left afterwards.
    pub fn desk(&self) -> Desk {
        self.desk_with(Settings::default()).unwrap()
    }

    /// With something besides asked for.
    pub fn desk_with(&self, asked: Settings) -> Result<Desk, server::Failure> {
        open(
            &self.data(),
            Beginning::Empty,
            &Settings {
                seed: SEED,
                ..asked
            },
        )
    }

    pub fn program(&self) -> Program {
        self.program_with(None).unwrap()
    }

    /// With a market of one's own beside the simulated one.
    pub fn program_with(
        &self,
        market: Option<&std::path::Path>,
    ) -> Result<Program, server::Failure> {
        let desk = self.desk_with(Settings {
            market: market.map(Into::into),
            ..Settings::default()
        })?;
        Ok(self.program_of(desk))
    }

    /// On a desk that is open already.
    pub fn program_of(&self, desk: Desk) -> Program {
        Program {
            app: router(Arc::new(Runs::start(desk, &self.data())), self.guard(HOST)),
        }
    }
}

pub struct Program {
    app: Router,
}

impl Program {
    /// A request with the token.
    pub async fn send(&self, mut request: Request<Body>) -> (StatusCode, Value) {
        let bearer = format!("Bearer {TOKEN}").parse().unwrap();
        request.headers_mut().insert(header::AUTHORIZATION, bearer);
        self.send_bare(request).await
    }

    /// A request as it is.
    pub async fn answer(&self, request: Request<Body>) -> axum::response::Response {
        self.app.clone().oneshot(request).await.unwrap()
    }

    /// A request as it is, its status and body.
    pub async fn send_bare(&self, request: Request<Body>) -> (StatusCode, Value) {
        let response = self.answer(request).await;
        let status = response.status();
        let body = to_bytes(response.into_body(), 10_000_000).await.unwrap();
        let text = || Value::String(String::from_utf8_lossy(&body).into_owned());
        (
            status,
            serde_json::from_slice(&body).unwrap_or_else(|_| text()),
        )
    }

    /// A request with a body as it is, valid or not.
    pub async fn raw(&self, method: &str, path: &str, body: &str) -> (StatusCode, Value) {
        let request = Request::builder()
            .method(method)
            .uri(path)
            .header(header::HOST, HOST)
            .header(header::CONTENT_TYPE, "application/json");
        self.send(request.body(Body::from(body.to_owned())).unwrap())
            .await
    }

    pub async fn post(&self, path: &str, body: &Value) -> (StatusCode, Value) {
        self.raw("POST", path, &body.to_string()).await
    }

    pub async fn get(&self, path: &str) -> Value {
        let (status, body) = self.raw("GET", path, "").await;
        assert_eq!(status, StatusCode::OK, "{path}: {body}");
        body
    }

    /// Keys of NMOU's monthly about five weeks out and its strikes from high to low.
    pub async fn monthly(&self) -> (String, Vec<Value>) {
        let head = self.get("/api/chain/NMOU").await["head"].clone();
        let marks = head["marks"].as_array().unwrap();
        let mark = marks
            .iter()
            .find(|m| m["cycle"] == "monthly" && m["days"].as_i64() > Some(30))
            .unwrap();
        let key = mark["key"].as_str().unwrap().to_owned();
        let rows =
            self.get(&format!("/api/chain/NMOU?expiration={key}")).await["blocks"][0]["rows"]
                .as_array()
                .unwrap()
                .clone();
        (key, rows)
    }

    /// Legs of a bear call vertical above the price, one package.
    pub async fn bear_call(&self) -> Value {
        let (_, rows) = self.monthly().await;
        let spot = self.get("/api/chain/NMOU").await["head"]["level"]
            .as_f64()
            .unwrap();
        let above: Vec<&Value> = rows
            .iter()
            .rev()
            .filter(|r| r["at"].as_f64().unwrap() > spot * 1.03)
            .collect();
        json!([
            { "contract": above[0]["call"]["contract"], "quantity": -1 },
            { "contract": above[3]["call"]["contract"], "quantity": 1 },
        ])
    }

    pub async fn evaluate(&self, legs: &Value, price: Option<&str>) -> Value {
        let (status, answer) = self
            .post(
                "/api/evaluate",
                &json!({
                    "symbol": "NMOU",
                    "legs": legs,
                    "entry": price.map_or(json!("middle"), |net| json!({ "net": net })),
                }),
            )
            .await;
        assert_eq!(status, StatusCode::OK, "{answer}");
        answer
    }
}

/// A ticket for NMOU.
pub fn ticket(id: &str, legs: &Value, quantity: i64, limit: &str) -> Value {
    json!({
        "clientId": id,
        "symbol": "NMOU",
        "legs": legs,
        "quantity": quantity,
        "limit": limit,
        "timeInForce": "goodTillCancelled",
    })
}

/// The parts of a profit beside its fees; with those they add up to it.
pub const PARTS: [&str; 8] = [
    "delta",
    "gamma",
    "theta",
    "vega",
    "rate",
    "dividends",
    "trades",
    "other",
];

/// Legs turned over: what closes them.
pub fn turned(legs: &Value) -> Value {
    times(legs, -1)
}

/// So many times the legs.
pub fn times(legs: &Value, n: i64) -> Value {
    let each = |l: &Value| {
        json!({
            "contract": l["contract"],
            "quantity": n * l["quantity"].as_i64().unwrap(),
        })
    };
    legs.as_array().unwrap().iter().map(each).collect()
}

/// Decimal text as an exact count of 1e-4.
pub fn units(text: &Value) -> i64 {
    text.as_str().unwrap().parse::<desk::Money>().unwrap().raw()
}
