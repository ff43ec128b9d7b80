# Everything a person needs: `make demo`, `make run`, `make test`. Each sets up what it needs on a fresh Debian machine.

.PHONY: demo run test bench bench-million soak fuzz programs console help install uninstall package

# Where `make install` puts everything, and nothing outside it.
PREFIX ?= /usr/local
DESTDIR ?=
# What is installed: release, or debug for whoever tries the installing itself.
BUILT ?= release
build = tools/build $(BUILT)

help:
	@echo "make demo   show Yadori with sample data on a private display, until Ctrl-C"
	@echo "make run    run the service on your own desktop"
	@echo "make install    build it and install it under PREFIX (/usr/local), e.g. make install PREFIX=\$$HOME/.local"
	@echo "make uninstall  remove exactly that; what was kept stays"
	@echo "make package    build a Debian package (target/debian/yadori_*.deb)"
	@echo "make test   set up and run every check and test"
	@echo "make soak   work for ten minutes and a day in short on X11 and Wayland, then kill and stop service and database under load, and compare every answer"
	@echo "make fuzz   give every decoder of the exchange made-up bytes, FUZZ_SECONDS (60) each, and every call made-up requests, FUZZ_CALLS (50) each"
	@echo "make programs  copy in real programs and paste into real programs, without Yadori and with it (docs/programs.md)"
	@echo "make bench  measure the budgets, each beside a rival in the same run"
	@echo "make bench-million  measure everything at a million clips: each step with its time and memory"

demo:
	@tools/setup demo
	@. tools/path && tools/build release yadori-demo
	@target/release/yadori-demo

run:
	@tools/setup run
	@. tools/path && tools/build release
	@echo "yadorid keeps what you copy until Ctrl-C. In another terminal: target/release/yadori console --open"
	@target/release/yadorid

install:
	@tools/setup run
	@. tools/path && $(build)
	@tools/stage $(BUILT) $(PREFIX)/bin
	@tools/install install $(PREFIX) $(DESTDIR)

uninstall:
	@tools/install uninstall $(PREFIX) $(DESTDIR)

package:
	@tools/setup package
	@. tools/path && $(build)
	@tools/stage $(BUILT) /usr/bin
	@. tools/path && tools/package

console:
	@tools/setup run

test:
	@tools/setup test
	@. tools/path && tools/test

bench:
	@tools/setup test
	@. tools/path && tools/build release && cargo bench -p yadori-core && cargo run --release -q -p yadori-e2e --bin budgets && cargo run --release -q -p yadori-e2e --bin search && cargo run --release -q -p yadori-e2e --bin large && cargo run --release -q -p yadori-e2e --bin console && cargo run --release -q -p yadori-e2e --bin handing && cargo run --release -q -p yadori-e2e --bin sweeping && cargo run --release -q -p yadori-e2e --bin exchanging && cargo run --release -q -p yadori-e2e --bin reading

# Takes about an hour and 8 GB of disk.
bench-million:
	@tools/setup test
	@. tools/path && tools/build release && cargo run --release -q -p yadori-e2e --bin million && cargo run --release -q -p yadori-e2e --bin console 1000000 && cargo run --release -q -p yadori-e2e --bin search 1000000 && cargo run --release -q -p yadori-e2e --bin exchanging 1000000

programs:
	@tools/setup test
	@. tools/path && tools/build release && cargo run --release -q -p yadori-e2e --bin programs && cargo run --release -q -p yadori-e2e --bin programs -- ends

soak:
	@tools/setup test
	@. tools/path && tools/build release && cargo run --release -q -p yadori-e2e --bin soak && YADORI_SEEDS=10000 cargo test --release -q -p yadori-sync --test simulation

fuzz:
	@tools/setup fuzz
	@. tools/path && tools/fuzz
	@. tools/path && cargo build -q -p yadori-service -p yadori-client && tools/calls
