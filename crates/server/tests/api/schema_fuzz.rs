//! The API against its own document: requests made from the schemas, right ones, nearly right ones
//! and hostile ones. Nothing may fail inside the program; what the schema forbids may not be
//! accepted; and whatever was accepted, the books add up.

use std::collections::{BTreeMap, BTreeSet};

use crate::common::*;
use serde_json::{Map, Value, json};

/// Rounds over all operations.
const ROUNDS: usize = 60;

/// Xorshift (Marsaglia 2003): the same requests on every machine.
struct Draws(u64);

impl Draws {
    fn below(&mut self, n: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        (self.0 % n as u64) as usize
    }

    fn one<T: Clone>(&mut self, of: &[T]) -> T {
        of[self.below(of.len())].clone()
    }
}

struct Fuzz {
    document: Value,
    draws: Draws,
    contracts: Vec<String>,
}

/// Texts that break what is careless.
const HOSTILE: [&str; 16] = [
    "",
    " ",
    "-",
    "NaN",
    "1e999",
    "-0",
    "92233720368.54775807",
    "99999999999999999999999999",
    "0.000000001",
    "'; DROP TABLE orders; --",
    "../../../etc/passwd",
    "<script>alert(1)</script>",
    "\u{0}\u{7f}\u{feff}",
    "𝟙𝟚𝟛",
    "2031-02-30",
    "NMOU  310418C00195000NMOU  310418C00195000",
];

impl Fuzz {
    fn resolve<'a>(&'a self, schema: &'a Value) -> &'a Value {
        match schema["$ref"].as_str() {
            Some(path) => self.resolve(
                self.document
                    .pointer(path.trim_start_matches('#'))
                    .expect("a schema that is referred to"),
            ),
            None => schema,
        }
    }

    /// A text that a trader could have written, by the name of its field.
    fn text(&mut self, name: &str) -> String {
        let all: &[&str] = match name {
            "symbol" => &["NMOU", "WXMR", "SKRY", "TNYBM1", "BRLW"],
            "limit" | "at" | "to" | "net" | "level" | "step" | "trailing" => {
                &["1.00", "-1.20", "0.05", "185.50", "2-16"]
            }
            "amount" => &["100.00", "0.01"],
            "expiration" | "key" => &["NMOU:2031-04-18", "NMOU:2031-03-21"],
            "expiry" | "goodTill" | "date" | "day" => &["2031-04-18", "2031-03-21", "2031-05-16"],
            "slot" => &["A", "B", "S1"],
            "template" => &["ironCondor", "callVertical"],
            "until" => &["2031-03-13"],
            "clientId" => return format!("c{}", self.draws.below(100_000)),
            "contract" => return self.draws.one(&self.contracts.clone()),
            _ => &["A", "1.5", "2031-04-18", "NMOU"],
        };
        self.draws.one(all).to_owned()
    }

    /// A value that the schema allows, or one that it need not.
    fn value(&mut self, schema: &Value, name: &str, depth: usize, hostile: bool) -> Value {
        if depth > 6 {
            return Value::Null;
        }
        if hostile && self.draws.below(6) == 0 {
            return self.odd();
        }
        let schema = self.resolve(schema).clone();
        if let Some(all) = schema["enum"].as_array() {
            return self.draws.one(all);
        }
        if let Some(all) = schema["oneOf"].as_array().or(schema["anyOf"].as_array()) {
            let chosen = self.draws.one(all);
            return self.value(&chosen, name, depth + 1, hostile);
        }
        if let Some(all) = schema["allOf"].as_array() {
            return self.value(&all[0].clone(), name, depth + 1, hostile);
        }
        let kind = match &schema["type"] {
            Value::Array(kinds) => {
                let kinds: Vec<&str> = kinds.iter().filter_map(Value::as_str).collect();
                self.draws.one(&kinds).to_owned()
            }
            kind => kind.as_str().unwrap_or("object").to_owned(),
        };
        match kind.as_str() {
            "null" => Value::Null,
            "boolean" => json!(self.draws.below(2) == 0),
            "integer" => {
                let few = [1, 2, 3, -1, 0, 10];
                if hostile && self.draws.below(3) == 0 {
                    self.draws.one(&[
                        json!(i64::MAX),
                        json!(i64::MIN),
                        json!(u64::MAX),
                        json!(-7),
                        json!(501),
                    ])
                } else {
                    json!(self.draws.one(&few))
                }
            }
            "number" => {
                if hostile && self.draws.below(3) == 0 {
                    self.draws
                        .one(&[json!(1e308), json!(-1e308), json!(-1.0), json!(0.0)])
                } else {
                    self.draws
                        .one(&[json!(0.5), json!(7.0), json!(190.0), json!(1.5)])
                }
            }
            "string" => {
                if hostile && self.draws.below(3) == 0 {
                    json!(self.draws.one(&HOSTILE))
                } else {
                    json!(self.text(name))
                }
            }
            "array" => {
                let count = self.draws.below(4);
                let items = schema["items"].clone();
                (0..count)
                    .map(|_| self.value(&items, name, depth + 1, hostile))
                    .collect()
            }
            _ => {
                let mut out = Map::new();
                let required: Vec<&str> = schema["required"]
                    .as_array()
                    .map_or(Vec::new(), |r| r.iter().filter_map(Value::as_str).collect());
                let properties = schema["properties"]
                    .as_object()
                    .cloned()
                    .unwrap_or_default();
                for (key, inner) in &properties {
                    let keep = required.contains(&key.as_str()) || self.draws.below(3) == 0;
                    if keep && !(hostile && self.draws.below(12) == 0) {
                        out.insert(key.clone(), self.value(inner, key, depth + 1, hostile));
                    }
                }
                if let Some(inner) = schema["additionalProperties"].as_object() {
                    let (key, inner) = (self.text("contract"), Value::Object(inner.clone()));
                    out.insert(key, self.value(&inner, "net", depth + 1, hostile));
                }
                Value::Object(out)
            }
        }
    }

    fn odd(&mut self) -> Value {
        let deep = (0..40).fold(json!(1), |inner, _| json!([inner]));
        let long = "x".repeat(5_000);
        self.draws.one(&[
            Value::Null,
            json!(true),
            json!(-1),
            json!(1e300),
            json!([]),
            json!({}),
            json!(""),
            json!([null]),
            deep,
            json!(long),
            json!({ "a": { "b": [] } }),
        ])
    }

    /// Path and query of an operation.
    fn address(&mut self, path: &str, operation: &Value, hostile: bool) -> String {
        let (mut out, mut query) = (path.to_owned(), Vec::new());
        for parameter in operation["parameters"]
            .as_array()
            .cloned()
            .unwrap_or_default()
        {
            let name = parameter["name"].as_str().unwrap().to_owned();
            let wanted = parameter["required"] == true || self.draws.below(2) == 0;
            let value = self.value(&parameter["schema"].clone(), &name, 0, hostile);
            let text = value
                .as_str()
                .map_or_else(|| value.to_string(), str::to_owned);
            let text: String = text
                .bytes()
                .map(|b| {
                    if b.is_ascii_alphanumeric() || b"-._".contains(&b) {
                        (b as char).to_string()
                    } else {
                        format!("%{b:02X}")
                    }
                })
                .collect();
            match parameter["in"].as_str() {
                Some("path") => {
                    out = out.replace(
                        &format!("{{{name}}}"),
                        if text.is_empty() { "x" } else { &text },
                    )
                }
                _ if wanted => query.push(format!("{name}={text}")),
                _ => {}
            }
        }
        if query.is_empty() {
            out
        } else {
            format!("{out}?{}", query.join("&"))
        }
    }
}

/// A value of another type than it is.
fn of_another_type(v: &Value) -> Value {
    match v {
        Value::String(_) => json!({ "not": "text" }),
        Value::Number(_) => json!("not a number"),
        Value::Bool(_) => json!("not a truth"),
        Value::Array(_) => json!("not a list"),
        _ => json!(17),
    }
}

#[tokio::test]
async fn the_program_keeps_to_its_document() {
    let place = Place::new();
    let p = place.program();
    let document: Value = serde_json::from_str(&server::openapi_json()).unwrap();
    let (_, rows) = p.monthly().await;
    let contracts = rows
        .iter()
        .take(12)
        .flat_map(|r| [&r["call"], &r["put"]])
        .map(|c| c["contract"].as_str().unwrap().to_owned())
        .chain(["NMOU".to_owned()])
        .collect();
    let mut fuzz = Fuzz {
        document: document.clone(),
        draws: Draws(0x2031_0311),
        contracts,
    };
    let mut operations: Vec<(String, String, Value)> = Vec::new();
    for (path, item) in document["paths"].as_object().unwrap() {
        for (method, operation) in item
            .as_object()
            .unwrap()
            .iter()
            .filter(|(m, _)| ["get", "post", "put", "delete"].contains(&m.as_str()))
        {
            operations.push((path.clone(), method.to_uppercase(), operation.clone()));
        }
    }
    assert!(operations.len() > 40, "{}", operations.len());
    let mut seen: BTreeMap<u16, usize> = BTreeMap::new();
    let mut unsaid: BTreeSet<String> = BTreeSet::new();
    let mut wrong = Vec::new();
    for round in 0..ROUNDS {
        for (path, method, operation) in &operations {
            // The first rounds are what a well-meaning client sends.
            let hostile = round >= 3;
            let address = fuzz.address(path, operation, hostile);
            let schema = operation["requestBody"]["content"]["application/json"]["schema"].clone();
            if schema.is_null() {
                let body = if operation["requestBody"].is_null() {
                    String::new()
                } else {
                    fuzz.draws.one(&HOSTILE).to_owned()
                };
                let (status, answer) = p.raw(method, &address, &body).await;
                if operation["responses"][status.as_str()].is_null() {
                    unsaid.insert(format!("{method} {path}: {status} {}", answer["code"]));
                }
                *seen.entry(status.as_u16()).or_default() += 1;
                let in_words = answer["message"].is_string() || answer["problems"].is_array();
                if status.is_server_error() || (!status.is_success() && !in_words) {
                    wrong.push(format!("{method} {address}: {status} {answer}"));
                }
                continue;
            }
            let right = fuzz.value(&schema, "", 0, false);
            let body = if hostile {
                fuzz.value(&schema, "", 0, true)
            } else {
                right.clone()
            };
            let (status, answer) = p.raw(method, &address, &body.to_string()).await;
            if operation["responses"][status.as_str()].is_null() {
                unsaid.insert(format!("{method} {path}: {status} {}", answer["code"]));
            }
            *seen.entry(status.as_u16()).or_default() += 1;
            if status.is_server_error() || (!status.is_success() && !answer["message"].is_string())
            {
                wrong.push(format!("{method} {address} {body}: {status} {answer}"));
            }
            // What the schema forbids: a field that is not known, one of another type, one that is
            // missing.
            let fuzzed = fuzz.resolve(&schema).clone();
            let Some(fields) = right
                .as_object()
                .filter(|_| fuzzed["properties"].is_object())
            else {
                continue;
            };
            let mut forbidden = vec![("an unknown field".to_owned(), {
                let mut b = right.clone();
                b["notAField"] = json!(1);
                b
            })];
            for key in fields.keys() {
                let mut body = right.clone();
                // A draft's entry and the like may be many things; an object never is one of them
                // by accident.
                body[key] = of_another_type(&right[key]);
                if !right[key].is_null() {
                    forbidden.push((format!("{key} of another type"), body));
                }
            }
            for key in fuzzed["required"].as_array().cloned().unwrap_or_default() {
                let mut body = right.clone();
                body.as_object_mut().unwrap().remove(key.as_str().unwrap());
                forbidden.push((format!("{key} missing"), body));
            }
            let (what, body) = forbidden.swap_remove(fuzz.draws.below(forbidden.len()));
            let (status, answer) = p.raw(method, &address, &body.to_string()).await;
            if !status.is_client_error() {
                wrong.push(format!(
                    "{what} was taken: {method} {address} {body}: {status} {answer}"
                ));
            }
        }
        let ledger = p.get("/api/ledger").await;
        assert_eq!(
            (&ledger["violations"], &ledger["sum"]),
            (&json!([]), &ledger["cash"])
        );
    }
    assert!(
        wrong.is_empty(),
        "{} of them\n{}",
        wrong.len(),
        wrong
            .into_iter()
            .take(12)
            .map(|w| w.chars().take(600).collect::<String>())
            .collect::<Vec<_>>()
            .join("\n")
    );
    assert!(
        unsaid.is_empty(),
        "statuses that the document does not name:\n{}",
        unsaid.into_iter().collect::<Vec<_>>().join("\n")
    );
    // It was a test of accepting as well as of refusing.
    let accepted: usize = seen.iter().filter(|(s, _)| **s < 300).map(|(_, n)| n).sum();
    assert!(
        accepted > 100 && seen.values().sum::<usize>() > 400,
        "{seen:?}"
    );
    for o in p.get("/api/orders").await.as_array().unwrap() {
        let (asked, filled) = (
            o["quantity"].as_i64().unwrap(),
            o["filled"].as_i64().unwrap(),
        );
        assert!(
            (1..=10_000).contains(&asked)
                && (0..=asked).contains(&filled)
                && (1..=8).contains(&o["unit"].as_array().unwrap().len()),
            "accepted nonsense: {o}"
        );
    }
    drop(p);
    assert_eq!(
        place.program().get("/api/ledger").await["violations"],
        json!([]),
        "and it opens again"
    );
}
