# A thin front: make demo, make test. Everything else is CMake's (see CMakePresets.json).
.POSIX:
.PHONY: all demo test-long demo-tide-mast demo-carillon demo-weigher demo-sluice demo-dosing demo-panel demo-buoy demo-beacon test bench boards bench-boards kernel program release sanitizers packages format clean

all: release

packages:
	@tools/install-packages.sh run test boards bench docs

# The command and the examples alone. A folder that is configured for the tests stays so.
program:
	@tools/install-packages.sh run
	@echo "Building (about 15 s) ..."
	@[ -f build/release/build.ninja ] || tools/quietly.sh cmake --preset release -DZEUGMA_TESTS=OFF -DZEUGMA_BENCH=OFF
	@tools/quietly.sh cmake --build --preset release --target zeugma examples

release: packages
	@echo "Building (about 45 s) ..."
	@tools/quietly.sh cmake --preset release
	@tools/quietly.sh cmake --build --preset release

sanitizers: packages
	@echo "Building with sanitizers (about 2 minutes) ..."
	@tools/quietly.sh cmake --preset sanitizers
	@tools/quietly.sh cmake --build --preset sanitizers

demo: program
	@tools/demo.sh build/release/bin loom

demo-tide-mast: program
	@tools/demo.sh build/release/bin tide_mast

demo-carillon: program
	@tools/demo.sh build/release/bin carillon

demo-weigher: program
	@tools/demo.sh build/release/bin weigher

demo-sluice: program
	@tools/demo.sh build/release/bin sluice

demo-dosing: program
	@tools/demo.sh build/release/bin dosing

demo-buoy: program
	@tools/demo.sh build/release/bin buoy

demo-beacon: program
	@tools/demo.sh build/release/bin beacon

demo-panel: program
	@tools/demo.sh build/release/bin panel

test: release sanitizers
	@ctest --preset release -LE live
	@ctest --preset release -L live
	@ctest --preset sanitizers -LE live
	@ctest --preset sanitizers -L live

# Four times as many random rounds, what takes minutes by itself, and fuzzers that see which code they reach.
test-long:
	@ZEUGMA_TEST_ROUNDS=4 $(MAKE) test
	@cmake --preset fuzz && cmake --build --preset fuzz
	@ZEUGMA_TEST_ROUNDS=4 ctest --preset fuzz -R '^fuzz_'

bench: release
	@for program in build/release/bin/bench_*; do $$program; done
	@python3 bench/bench_live.py build/release/bin/zeugma examples/loom/loom.yaml
	@/usr/bin/python3 bench/bench_page.py build/release/bin/zeugma $$PWD
	@/usr/bin/python3 bench/bench_plot.py build/release/bin/zeugma

boards: release
	@tools/boards.sh build/release

bench-boards: release
	@python3 bench/boards/bench_boards.py build/release

# SECONDS: how long its long soaks last. About two minutes; not part of the tests.
SECONDS = 20
kernel: release
	@tools/install-packages.sh kernel
	@python3 tests/kernel/kernel.py . build/release $(SECONDS)

format:
	@git ls-files '*.c' '*.h' | xargs clang-format -i

clean:
	rm -rf build
