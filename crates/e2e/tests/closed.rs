//! Who is kept out of what: docs/security.md says it in words, this file shows it.

use std::io::{Read, Write};
use std::net::TcpListener;
use std::process::Command;

use serde_json::{Value, json};
use yadori_e2e::{Browser, Display, Service, until};

fn call(service: &Service, path: &str, more: &[&str]) -> (u16, Value) {
    let url = format!("{}{path}", service.address());
    let mut arguments = vec![url.as_str()];
    arguments.extend(more);
    Service::curl(&arguments)
}

#[test]
fn every_call_over_tcp_needs_a_key_and_a_key_opens_them() {
    let service = Service::without_desk();
    service.yadori(&["add", "private words"]);
    let paths = [
        "/api/v1/status",
        "/api/v1/clips",
        "/api/v1/outline",
        "/api/v1/events",
        "/api/v1/clips/1",
        "/api/v1/backup",
        "/api/v1/clips/1/representations/0",
        "/api/v1/clips/1/picture",
        "/api/v1/openapi.json",
    ];
    for path in paths {
        let (status, body) = call(&service, path, &[]);
        assert_eq!(status, 401, "{path}");
        assert!(body["hint"].as_str().unwrap().contains("yadori console"), "{body}");
        assert_eq!(call(&service, path, &["-H", "authorization: Bearer 0000"]).0, 401, "{path}");
    }
    for path in [
        "/api/v1/undo",
        "/api/v1/remove",
        "/api/v1/clips",
        "/api/v1/clips/1/take",
        "/api/v1/restore",
        "/api/v1/stop",
    ] {
        assert_eq!(call(&service, path, &["-X", "POST", "-d", "{}"]).0, 401, "{path}");
    }
    let bearer = format!("authorization: Bearer {}", service.key());
    let (status, page) = call(&service, "/api/v1/clips", &["-H", &bearer]);
    assert_eq!((status, page["clips"][0]["head"].as_str()), (200, Some("private words")));
    // What only this user's own programs may do is not done over TCP even with a key.
    for path in ["/api/v1/sign-in-links", "/api/v1/stop"] {
        assert_eq!(call(&service, path, &["-X", "POST", "-H", &bearer]).0, 403, "{path}");
    }
    assert_eq!(call(&service, "/healthz", &[]).0, 200);
}

#[test]
fn a_sign_in_link_opens_once_and_is_never_recorded() {
    let mut display = Display::start();
    let service = Service::on(&display.name());
    let link = service.sign_in_link();
    display.copy_text(&format!("open this: {link}"));
    until("the link on the clipboard", || display.paste_text().filter(|text| text.contains(&link)));
    display.copy_text("after the link");
    service.await_clip("after the link");
    assert_eq!(service.list(5).len(), 1, "the link was recorded");
    let body = json!({ "entry": link.split('=').nth(1) }).to_string();
    let sign_in =
        || call(&service, "/api/v1/sign-in", &["-H", "content-type: application/json", "-d", &body]).0;
    assert_eq!((sign_in(), sign_in()), (200, 403));
}

#[test]
fn rebound_names_and_other_origins_get_nothing_even_with_a_key() {
    let service = Service::without_desk();
    let bearer = format!("authorization: Bearer {}", service.key());
    let with = |header: &str| call(&service, "/api/v1/status", &["-H", &bearer, "-H", header]).0;
    let port = service.address().rsplit(':').next().unwrap().to_owned();
    assert_eq!(with("host: rebound.example.org"), 421);
    assert_eq!(with(&format!("host: rebound.example.org:{port}")), 421);
    assert_eq!(with("origin: https://example.org"), 403);
    assert_eq!(with("origin: http://127.0.0.1:1"), 403);
    assert_eq!(with("origin: null"), 403);
    assert_eq!(with("sec-fetch-site: cross-site"), 403);
    assert_eq!(with(&format!("origin: http://127.0.0.1:{port}")), 200);
    assert_eq!(call(&service, "/", &["-H", "host: rebound.example.org"]).0, 421, "nor the page");
}

#[test]
fn a_request_that_contradicts_itself_is_refused_and_nothing_is_smuggled_in() {
    let service = Service::without_desk();
    service.yadori(&["add", "private words"]);
    let own = service.address().trim_start_matches("http://").to_owned();
    let key = service.key();
    let said = |request: &str| -> Vec<String> {
        let mut stream = std::net::TcpStream::connect(&own).unwrap();
        stream.set_read_timeout(Some(std::time::Duration::from_secs(20))).unwrap();
        stream.write_all(request.as_bytes()).unwrap();
        let mut answer = Vec::new();
        stream.read_to_end(&mut answer).expect("it ends the connection");
        let text = String::from_utf8_lossy(&answer).into_owned();
        text.lines().filter(|line| line.starts_with("HTTP/1.1 ")).map(|line| line[9..12].to_owned()).collect()
    };
    let get = |target: &str, headers: &str| {
        format!("GET {target} HTTP/1.1\r\n{headers}authorization: Bearer {key}\r\nconnection: close\r\n\r\n")
    };
    let path = "/api/v1/status";
    let host = format!("host: {own}\r\n");
    assert_eq!(said(&get(path, &host)), ["200"]);
    assert_eq!(said(&get(path, &format!("{host}{host}"))), ["400"]);
    assert_eq!(said(&get(path, &format!("{host}host: example.org\r\n"))), ["400"]);
    assert_eq!(said(&get(path, &format!("host: example.org\r\n{host}"))), ["400"]);
    let origin = format!("origin: http://{own}\r\n");
    assert_eq!(said(&get(path, &format!("{host}{origin}origin: https://example.org\r\n"))), ["400"]);
    // A target with a server in it: that is the one that is meant, whatever the Host says.
    assert_eq!(said(&get(&format!("http://{own}{path}"), &host)), ["200"]);
    assert_eq!(said(&get(&format!("http://example.org{path}"), &host)), ["400"]);
    assert_eq!(said(&get(path, "")), ["421"]);
    // Both lengths: one answer, and then the end of the connection, so that the rest is no request (RFC 9112, section 6.1).
    let smuggled = format!(
        "POST /api/v1/rows HTTP/1.1\r\n{host}authorization: Bearer {key}\r\ncontent-type: application/json\r\n\
         content-length: 6\r\ntransfer-encoding: chunked\r\n\r\na\r\n{{\"ids\":[]}}\r\n0\r\n\r\nGET {path} HTTP/1.1\r\n{host}\
         authorization: Bearer {key}\r\nconnection: close\r\n\r\n"
    );
    assert_eq!(said(&smuggled).len(), 1);
}

#[test]
fn another_user_of_the_machine_reaches_neither_socket_nor_files() {
    if !rustix::process::geteuid().is_root() {
        #[expect(clippy::print_stderr, reason = "a test that could not be tried says so")]
        {
            eprintln!("becoming another user needs root: not tried");
        }
        return;
    }
    let service = Service::without_desk();
    service.yadori(&["add", "private words"]);
    let run = |command: &str| {
        let done = Command::new("setpriv")
            .args(["--reuid=65534", "--regid=65534", "--clear-groups", "sh", "-c", command])
            .output()
            .unwrap();
        (done.status.success(), String::from_utf8_lossy(&done.stdout).into_owned())
    };
    let home = service.home().display();
    assert!(run("true").0);
    assert!(!run(&format!("curl -s --unix-socket {home}/run/yadori.sock http://y/api/v1/clips")).0);
    assert!(
        !run(&format!("ls {home}/data")).0
            && !run(&format!("ls {home}/logs")).0
            && !run(&format!("ls {home}/run")).0
    );
    let (_, said) = run(&format!("curl -s {}/api/v1/clips", service.address()));
    assert!(said.contains("no-key") && !said.contains("private words"), "{said}");
    // Even if the directory is opened up, the service hangs up on others.
    let open = Command::new("chmod").args(["-R", "a+rwx", &format!("{home}/run")]).status().unwrap();
    let opened = Command::new("chmod")
        .args(["a+rx", &home.to_string(), &service.home().parent().unwrap().display().to_string()])
        .status()
        .unwrap();
    assert!(open.success() && opened.success());
    let (done, said) = run(&format!("curl -s --unix-socket {home}/run/yadori.sock http://y/api/v1/clips"));
    assert!(!done && said.is_empty(), "{said}");
}

#[test]
fn a_program_that_squats_on_the_port_learns_nothing_of_use() {
    let dir = tempfile::tempdir().unwrap();
    let home = dir.path().join("home");
    // No --listen: the port is chosen once and kept.
    let start = || {
        let mut command = Command::new(yadori_e2e::programs().join("yadorid"));
        command.arg("--home").arg(&home).arg("--no-capture").env_remove("DISPLAY");
        command.stderr(std::process::Stdio::null()).spawn().unwrap()
    };
    let mut service = Service::attached(&home, start());
    service.await_records();
    let address = service.address();
    let key = service.key();
    service.stop();
    let squatter = TcpListener::bind(address.strip_prefix("http://").unwrap()).unwrap();
    service = Service::attached(&home, start());
    service.await_records();
    let status = service.status().unwrap();
    assert!(status.console.is_none());
    assert!(status.console_problem.unwrap().contains("taken by another program"));
    // Neither the client nor anything else of Yadori's speaks to the squatter; no link leads to it.
    let refused = service.client(&["console"]);
    assert!(String::from_utf8_lossy(&refused.stderr).contains("do not sign in there"));
    service.yadori(&["add", "by the socket"]);
    squatter.set_nonblocking(true).unwrap();
    let mut heard = String::new();
    while let Ok((mut stream, _)) = squatter.accept() {
        let _ = stream.read_to_string(&mut heard);
    }
    assert_eq!(heard, "");
    // What it may have read in the browser's storage for that address opens nothing any more.
    drop(squatter);
    until("the console's return", || service.status()?.console);
    assert_eq!(service.address(), address);
    assert_eq!(call(&service, "/api/v1/status", &["-H", &format!("authorization: Bearer {key}")]).0, 401);
}

#[tokio::test]
async fn copied_html_with_scripts_forms_and_remote_parts_does_nothing() {
    let remote = TcpListener::bind("127.0.0.1:0").unwrap();
    remote.set_nonblocking(true).unwrap();
    let there = format!("http://{}", remote.local_addr().unwrap());
    let html = format!(
        "<p style='color:red'>Bunks</p><script>parent.postMessage('ran','*');fetch('{there}/script')</script>\
         <img src='{there}/picture' onerror='top.location=\"{there}/handler\"'><style>@import url({there}/style);\
         p{{background:url({there}/background)}}</style><link rel=stylesheet href={there}/sheet><iframe src={there}/frame></iframe>\
         <form action={there}/form><input name=a><button>go</button></form><meta http-equiv=refresh content='0;url={there}/refresh'>\
         <svg onload=\"fetch('{there}/svg')\"></svg><base href={there}/><video src={there}/video autoplay></video>"
    );
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("evil.html");
    std::fs::write(&file, &html).unwrap();
    let service = Service::without_desk();
    service.yadori(&["add", "Bunks", &format!("--also=text/html={}", file.display())]);
    let browser = Browser::start(None).await.unwrap();
    browser.driver.goto(service.sign_in_link()).await.unwrap();
    browser.until("return document.querySelector('[data-summary]')").await.unwrap();
    browser.script("window.__heard = []; addEventListener('message', (event) => window.__heard.push(String(event.data)))").await.unwrap();
    browser.script("document.querySelector('[data-id]').click()").await.unwrap();
    browser.until("const it = [...document.querySelectorAll('button')].find((one) => one.textContent.includes('Formatted')); it?.click(); return it").await.unwrap();
    browser.until("return document.querySelector('iframe[data-formatted]')").await.unwrap();
    // What else is told of the clip loads it no second time.
    browser.script("document.querySelector('iframe[data-formatted]').shown = 'once'").await.unwrap();
    service.yadori(&["title", "1", "How they lie"]);
    browser
        .until("return document.querySelector('[aria-expanded=true]').textContent.includes('How they lie')")
        .await
        .unwrap();
    service.yadori(&["settings", "set", "look.theme", "dark"]);
    browser.until("return document.documentElement.dataset.theme === 'lodge-night'").await.unwrap();
    assert_eq!(
        browser.script("return document.querySelector('iframe[data-formatted]').shown").await.unwrap(),
        json!("once")
    );
    // The frame has loaded, and shows the words.
    let frame = browser.driver.find(thirtyfour::By::Css("iframe[data-formatted]")).await.unwrap();
    frame.clone().enter_frame().await.unwrap();
    browser
        .until("return document.readyState === 'complete' && document.body.textContent.includes('Bunks')")
        .await
        .unwrap();
    let here = browser.script("return location.pathname").await.unwrap();
    assert!(here.as_str().unwrap().starts_with("/framed/"), "the frame went elsewhere: {here}");
    browser.driver.enter_default_frame().await.unwrap();
    assert_eq!(browser.script("return window.__heard").await.unwrap(), json!([]));
    let title = browser.script("return location.origin").await.unwrap();
    assert_eq!(title, json!(service.address()));
    // Whatever would have been asked for would have been asked for by now: a request of the page itself is slower.
    browser.until("return fetch('/healthz').then((answer) => answer.ok)").await.unwrap();
    if let Ok((mut stream, _)) = remote.accept() {
        let mut asked = [0; 300];
        let _ = stream.set_read_timeout(Some(std::time::Duration::from_secs(2)));
        let length = stream.read(&mut asked).unwrap_or(0);
        panic!("something was asked for elsewhere: {:?}", String::from_utf8_lossy(&asked[..length]));
    }
    // Raw representations are attachments of no type a browser would run.
    let bearer = format!("authorization: Bearer {}", service.key());
    let done = Command::new("curl")
        .args([
            "-s",
            "-D",
            "-",
            "-o",
            "/dev/null",
            "-H",
            &bearer,
            &format!("{}/api/v1/clips/1/representations/1", service.address()),
        ])
        .output()
        .unwrap();
    let headers = String::from_utf8_lossy(&done.stdout).to_lowercase();
    for line in [
        "content-type: application/octet-stream",
        "x-content-type-options: nosniff",
        "content-disposition: attachment",
        "sandbox",
    ] {
        assert!(headers.contains(line), "{line}: {headers}");
    }
}

#[tokio::test]
async fn a_page_of_another_port_can_neither_read_nor_act() {
    let service = Service::without_desk();
    service.yadori(&["add", "private words"]);
    let key = service.key();
    let page = TcpListener::bind("127.0.0.1:0").unwrap();
    let there = format!("http://{}/", page.local_addr().unwrap());
    std::thread::spawn(move || {
        for stream in page.incoming().take(20) {
            let Ok(mut stream) = stream else { return };
            let mut asked = [0; 2_048];
            let _ = stream.read(&mut asked);
            let _ = stream.write_all(b"HTTP/1.1 200 OK\r\ncontent-type: text/html\r\ncontent-length: 14\r\nconnection: close\r\n\r\n<p>elsewhere</p"[..].as_ref());
        }
    });
    let browser = Browser::start(None).await.unwrap();
    browser.driver.goto(&there).await.unwrap();
    let script = format!(
        "const done = arguments[0]; const out = [];\
         const attempt = async (name, work) => {{ try {{ out.push(name + ':' + await work()); }} catch (why) {{ out.push(name + ':refused'); }} }};\
         (async () => {{\
           await attempt('read', async () => (await fetch('{address}/api/v1/clips', {{ headers: {{ authorization: 'Bearer {key}' }} }})).status);\
           await attempt('simple', async () => (await fetch('{address}/api/v1/undo', {{ method: 'POST', mode: 'no-cors', body: '{{}}' }})).type);\
           await attempt('remove', async () => (await fetch('{address}/api/v1/remove', {{ method: 'POST', headers: {{ 'content-type': 'application/json', authorization: 'Bearer {key}' }}, body: '{{}}' }})).status);\
           const frame = document.createElement('iframe'); frame.src = '{address}/'; document.body.append(frame);\
           await new Promise((resume) => frame.onload = resume);\
           await attempt('frame', async () => frame.contentDocument ? frame.contentDocument.title : 'closed');\
           done(out);\
         }})()",
        address = service.address(),
    );
    let out = browser.driver.execute_async(script, Vec::new()).await.unwrap().json().clone();
    assert_eq!(out, json!(["read:refused", "simple:refused", "remove:refused", "frame:closed"]));
    assert_eq!(service.list(5).len(), 1);
}

#[test]
fn escapes_in_a_copied_text_do_nothing_in_list_and_show() {
    let mut display = Display::start();
    let service = Service::on(&display.name());
    display.copy_text("harmless \x1b]0;title\x07\x1b[2J\u{202e}txet\r\n\u{9b}31m second line");
    service.await_clip("harmless");
    for said in [
        service.yadori(&["list"]),
        service.yadori(&["show", "1"]),
        service.yadori(&["take", "1"]),
        service.yadori(&["status"]),
    ] {
        let bad = said.chars().find(|c| (c.is_control() && *c != '\n') || *c == '\u{202e}');
        assert_eq!(bad, None, "{said:?}");
        assert!(said.contains("harmless ␛]0;title␇"), "{said}");
    }
    // Byte for byte where that was asked for.
    assert!(service.client(&["show", "1", "--raw"]).stdout.contains(&0x1b));
}

#[test]
fn logs_hold_no_contents_titles_or_addresses() {
    let mut display = Display::start();
    let mut service = Service::on(&display.name());
    display.copy_text("a very private sentence");
    service.await_clip("a very private");
    service.yadori(&[
        "add",
        "https://private.example.org/path",
        "--window",
        "Private window",
        "--program",
        "Private program",
    ]);
    let _ = service.client(&["show", "zzzzzz"]);
    let ids: Vec<String> = service.list(5).into_iter().map(|row| row.id).collect();
    service.yadori(&["remove", "1"]);
    service.stop();
    let mut read = 0;
    let logs = std::fs::read_dir(service.home().join("logs")).unwrap().map(|entry| entry.unwrap().path());
    for path in logs.chain([service.errors_file()]) {
        let text = String::from_utf8_lossy(&std::fs::read(path).unwrap()).into_owned();
        read += text.len();
        for word in ["private", "Private", "zzzzzz"].into_iter().chain(ids.iter().map(String::as_str)) {
            assert!(!text.contains(word), "{word} is in a log");
        }
    }
    assert!(read > 0);
}
