//! The names that the desk speaks of to the display server, as its numbers.

use x11rb::atom_manager;

atom_manager! {
    /// Atoms of the protocol.
    pub(crate) Atoms: AtomsCookie {
        CLIPBOARD, CLIPBOARD_MANAGER, TARGETS, TIMESTAMP, MULTIPLE, SAVE_TARGETS, INCR, ATOM_PAIR, NULL, MANAGER,
        UTF8_STRING, _NET_ACTIVE_WINDOW, _NET_CLIENT_LIST, _NET_WM_NAME, _NET_WM_PID,
        _NET_SUPPORTING_WM_CHECK,
        _YADORI_DESK, _YADORI_CONTENT, _YADORI_TIME,
    }
}
