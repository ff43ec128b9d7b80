//! Pages for browsers, served on loopback: something to copy, and a field that tells what a paste brought.

use std::io::{Read, Write};
use std::net::{TcpListener, TcpStream};
use std::sync::{Arc, Mutex};

use anyhow::Result;
use serde_json::Value;

const PAGE: &str = r#"<!doctype html><meta charset="utf-8"><title>Hut notices</title>
<body style="margin:0"><img id="map" src="/map.png" width="200" height="100" style="display:block">
<p id="text">Ridge path: <b>snow fields</b> until further notice</p>
<p><input id="link" value="https://trails.example.org/status/ridge-path"></p><div id="field" contenteditable>-</div>
<script>
const by = (id) => document.getElementById(id);
const say = (word) => fetch('/said', { method: 'POST', body: JSON.stringify(word) });
addEventListener('keydown', (event) => {
  if (event.key === 'F2') { event.preventDefault(); const range = document.createRange(); range.selectNodeContents(by('text'));
    by('field').blur(); getSelection().removeAllRanges(); getSelection().addRange(range); say({ selected: 'text' }); }
  if (event.key === 'F4') { event.preventDefault(); by('link').focus(); by('link').select(); say({ selected: 'link' }); }
  if (event.key === 'F8') { event.preventDefault(); by('field').textContent = '-'; by('field').focus(); say({ selected: 'field' }); }
}, true);
addEventListener('paste', async (event) => {
  const data = event.clipboardData;
  const html = data.getData('text/html'), text = data.getData('text/plain'), types = [...data.types];
  const files = await Promise.all([...data.files].filter((file) => file.type.startsWith('image/')).map(async (file) => {
    const map = await createImageBitmap(file); return [file.type, map.width, map.height]; }));
  setTimeout(() => say({ pasted: { types, html, text, files, field: by('field').innerHTML } }), 200);
});
const x = window.mozInnerScreenX ?? screenX + (outerWidth - innerWidth) / 2;
const y = window.mozInnerScreenY ?? screenY + outerHeight - innerHeight;
addEventListener('load', () => setTimeout(() => say({ at: [x, y] }), 500));
</script>"#;

/// The pages, and what they have said.
#[derive(Clone, Debug)]
pub struct Pages {
    /// Where they are.
    pub address: String,
    said: Arc<Mutex<Vec<Value>>>,
}

impl Pages {
    pub(super) fn serve() -> Result<Self> {
        let listener = TcpListener::bind("127.0.0.1:0")?;
        let address = format!("http://{}/", listener.local_addr()?);
        let said: Arc<Mutex<Vec<Value>>> = Arc::default();
        let heard = said.clone();
        std::thread::spawn(move || {
            for stream in listener.incoming().flatten() {
                let heard = heard.clone();
                std::thread::spawn(move || answer(stream, &heard));
            }
        });
        Ok(Self { address, said })
    }

    /// What a page said about this, once it has; `None` when it does not in some seconds.
    pub fn hear(&self, what: &str) -> Option<Value> {
        let end = std::time::Instant::now() + std::time::Duration::from_secs(10);
        while std::time::Instant::now() < end {
            let mut said = self.said.lock().ok()?;
            if let Some(n) = said.iter().position(|one| one.get(what).is_some()) {
                return said.remove(n).get_mut(what).map(Value::take);
            }
            drop(said);
            std::thread::sleep(std::time::Duration::from_millis(20));
        }
        None
    }

    /// Forgets what was said so far.
    pub fn forget(&self) {
        if let Ok(mut said) = self.said.lock() {
            said.clear();
        }
    }
}

/// A picture of a route.
fn map() -> Vec<u8> {
    let ground = image::Rgb([74, 111, 165]);
    let picture = image::RgbImage::from_fn(200, 100, |x, y| {
        if y > 40 && x.abs_diff(2 * y) < 6 { image::Rgb([242, 181, 68]) } else { ground }
    });
    let mut out = std::io::Cursor::new(Vec::new());
    let _ = picture.write_to(&mut out, image::ImageFormat::Png);
    out.into_inner()
}

fn answer(mut stream: TcpStream, said: &Mutex<Vec<Value>>) {
    let mut asked = Vec::new();
    let mut chunk = [0; 16_384];
    loop {
        let Ok(count) = stream.read(&mut chunk) else { return };
        asked.extend_from_slice(&chunk[..count]);
        let text = String::from_utf8_lossy(&asked).into_owned();
        let Some((head, body)) = text.split_once("\r\n\r\n") else {
            if count == 0 {
                return;
            }
            continue;
        };
        let length = head
            .lines()
            .find_map(|line| line.to_ascii_lowercase().strip_prefix("content-length:")?.trim().parse().ok())
            .unwrap_or(0);
        if body.len() < length && count > 0 {
            continue;
        }
        if let (true, Ok(word), Ok(mut said)) =
            (head.starts_with("POST"), serde_json::from_str(body), said.lock())
        {
            said.push(word);
        }
        let (kind, page) = match head.split_whitespace().nth(1) {
            Some("/") => ("text/html; charset=utf-8", PAGE.as_bytes().to_vec()),
            Some("/map.png") => ("image/png", map()),
            _ => ("text/plain", Vec::new()),
        };
        let head = format!(
            "HTTP/1.1 200 OK\r\ncontent-type: {kind}\r\ncontent-length: {}\r\nconnection: close\r\n\r\n",
            page.len()
        );
        let _ = stream.write_all(head.as_bytes()).and_then(|()| stream.write_all(&page));
        return;
    }
}
