//! Ad hoc look.
#![allow(clippy::unwrap_used)]
use std::path::Path;
use std::time::Duration;
#[tokio::main]
async fn main() {
    let base = std::env::args().nth(1).unwrap_or_default();
    let steps: Vec<String> = std::env::args().skip(2).collect();
    e2e::in_browser(move |b| async move {
        for s in steps {
            let (verb, rest) = s.split_once(' ').unwrap_or((s.as_str(), ""));
            match verb {
                "goto" => b.goto(&format!("{base}{rest}")).await,
                "wait" => drop(b.find(rest).await),
                "click" => b.click(rest).await,
                "press" => b.press(rest).await,
                "keys" => b.keys(&rest.replace("ENTER", e2e::ENTER).replace("ESC", e2e::ESCAPE)).await,
                "write" => {
                    let (css, t) = rest.split_once("=>").unwrap();
                    b.write(css, t).await
                }
                "js" => println!("{}", b.run(rest).await),
                "width" => b.resize(rest.parse().unwrap()).await,
                "sleep" => tokio::time::sleep(Duration::from_millis(rest.parse().unwrap())).await,
                "axe" => println!("axe: {:#?}", b.axe().await),
                "log" => println!("log: {:#?} {:#?}", b.complaints().await, b.requests().await.len()),
                "shot" => b.shot(Path::new(rest)).await,
                _ => panic!("{s}"),
            }
        }
    })
    .await;
}
