//! What is said while two devices are paired, by whoever sits between them: it ends in a refusal, and never in a channel.
#![no_main]

use libfuzzer_sys::fuzz_target;
use yadori_sync::UnwrapErr;
use yadori_sync::pairing::{Code, Guest, Hello, Host, Terms, Welcome};

fuzz_target!(|bytes: &[u8]| {
    if let Ok(text) = std::str::from_utf8(bytes)
        && let Ok(code) = text.parse::<Code>()
    {
        assert_eq!(code.to_string().parse::<Code>().ok(), Some(code));
    }
    let (code, terms) = (Code::new(12, [1, 2, 3, 4, 5]), Terms { certificate: [4; 32] });
    let mut random = UnwrapErr(getrandom::SysRng);
    if let Ok((answered, _)) = Host::new(code, terms).answer(bytes, &mut random) {
        assert!(answered.confirm(bytes).is_err());
    }
    let code = Code::new(12, [1, 2, 3, 4, 5]);
    let (guest, _) = Guest::begin(&code, &terms, &mut random).expect("a share");
    assert!(guest.hear(bytes).is_err());
    if let Some(hello) = Hello::from_bytes(bytes) {
        assert_eq!(Hello::from_bytes(&hello.to_bytes()), Some(hello));
    }
    if let Some(welcome) = Welcome::from_bytes(bytes) {
        assert_eq!(Welcome::from_bytes(&welcome.to_bytes()), Some(welcome));
    }
});
