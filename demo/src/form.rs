//! The permit form of the scenario, and the guest list that is to be moved into it: one small page, served on loopback.

use anyhow::{Context, Result};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::TcpListener;

/// The guests of the page: name, arrival, nights, hut, telephone.
pub(crate) const GUESTS: [[&str; 5]; 6] = [
    ["A. Lindqvist", "14 June", "2", "Kestrel Hut", "+46 70 174 0605"],
    ["M. Okonkwo", "14 June", "1", "Kestrel Hut", "+44 7700 900142"],
    ["R. Tanaka", "15 June", "3", "Larch Hut", "+44 7700 900617"],
    ["E. Novák", "15 June", "2", "Stone Ford Hut", "+44 7700 900333"],
    ["H. Papadaki", "16 June", "1", "Larch Hut", "+44 7700 900809"],
    ["K. Yamamoto", "17 June", "4", "Kestrel Hut", "+44 7700 900071"],
];
const FIELDS: [&str; 5] = ["Name", "Arrives", "Nights", "Hut", "Telephone"];

const STYLE: &str = "body{font:15px/1.5 system-ui,sans-serif;max-width:72rem;margin:2rem auto;padding:0 1.25rem;color:#262b3a;background:#fdfcfa}\
h1{font-size:1.15rem;margin:0 0 .25rem}p{margin:.25rem 0 1rem;color:#5c6170}.two{display:grid;grid-template-columns:repeat(auto-fit,minmax(26rem,1fr));gap:2rem}\
table{border-collapse:collapse;width:100%}td,th{white-space:nowrap;text-align:left;padding:.3rem .5rem;border-bottom:1px solid #e4ded3;font-variant-numeric:tabular-nums}\
th{font-weight:600;color:#5c6170}form{display:grid;grid-template-columns:6rem 1fr;gap:.5rem .75rem;align-items:center;align-content:start}\
input{font:inherit;padding:.35rem .6rem;border:1px solid #8b8f9b;border-radius:.5rem;background:#fff}\
button{grid-column:2;justify-self:start;font:inherit;padding:.4rem .9rem;border:0;border-radius:.5rem;background:#33406b;color:#fff}\
input:focus,button:focus{outline:2px solid #33406b;outline-offset:2px}\
@media (prefers-color-scheme:dark){body{background:#1b2030;color:#e8e5de}p,th{color:#a6a9b4}td,th{border-color:#3a4052}input{background:#242a3c;color:inherit;border-color:#7d8294}button{background:#a9b7ea;color:#1b2030}}";

/// The list of guests as a spreadsheet copies it.
pub(crate) fn guest_list() -> String {
    let rows = GUESTS.map(|guest| guest.join("\t")).join("\n");
    format!("{}\n{rows}", FIELDS.join("\t"))
}

fn page() -> String {
    let head: String = FIELDS.map(|name| format!("<th scope=col>{name}")).concat();
    let rows: String =
        GUESTS.map(|guest| format!("<tr>{}", guest.map(|cell| format!("<td>{cell}")).concat())).concat();
    let inputs: String = FIELDS
        .iter()
        .enumerate()
        .map(|(n, name)| {
            let first = if n == 0 { " autofocus" } else { "" };
            format!("<label for=f{n}>{name}</label><input id=f{n} name=f{n} autocomplete=off{first}>")
        })
        .collect();
    format!(
        "<!doctype html><html lang=en><meta charset=utf-8><meta name=viewport content=\"width=device-width\"><title>Overnight permit · Three Huts</title>\
         <style>{STYLE}</style><main class=two><section><h1>Guests of the week</h1><p>Select a few rows and copy them. Then split the copy into cells, and hand them out.</p>\
         <table><thead><tr>{head}</thead><tbody>{rows}</tbody></table></section>\
         <section><h1>Overnight permit</h1><p>One press of the chord for each field.</p>\
         <form onsubmit=\"event.preventDefault();this.reset();document.getElementById('f0').focus()\">{inputs}<button>Send the permit</button></form></section></main></html>"
    )
}

/// Serves the page until the demo ends. Gives its address.
pub(crate) async fn serve() -> Result<String> {
    let listener = TcpListener::bind("127.0.0.1:0").await.context("a port for the form")?;
    let address = format!("http://{}/", listener.local_addr()?);
    let body = page();
    tokio::spawn(async move {
        loop {
            let Ok((mut stream, _)) = listener.accept().await else { continue };
            let answer = format!(
                "HTTP/1.1 200 OK\r\ncontent-type: text/html; charset=utf-8\r\ncontent-length: {}\r\ncache-control: no-store\r\nconnection: close\r\n\r\n{body}",
                body.len()
            );
            tokio::spawn(async move {
                let mut asked = [0; 4_096];
                let _ = stream.read(&mut asked).await;
                let _ = stream.write_all(answer.as_bytes()).await;
                let _ = stream.shutdown().await;
            });
        }
    });
    Ok(address)
}
