#!/usr/bin/env python3
"""The core library calls nothing that opens files, reads the clock, prints or exits. Usage: check_symbols.py LIBRARY."""
import re
import subprocess
import sys

# Families, since compilers turn printf("x") into putchar.
FORBIDDEN = re.compile(r"^(v?f?s?printf.*|put(s|c|char).*|fput.*|fopen.*|fwrite.*|fread.*|open(64)?|openat.*|read|write|exit|_exit"
                       r"|time|clock.*|gettimeofday|getenv|setlocale|system|popen|_ZSt4cout|_ZSt4cerr|_ZNSt6chrono.*3nowEv"
                       r"|_ZNSt(14)?basic_[io]?f?stream.*filebuf.*|.*basic_[io]fstream.*)$")
ALLOWED = {"snprintf", "__snprintf_chk"}

listing = subprocess.run(["nm", "--undefined-only", sys.argv[1]], capture_output=True, text=True, check=True).stdout
symbols = {line.split()[-1].split("@")[0] for line in listing.splitlines() if len(line.split()) == 2}
if len(symbols) < 50:
    sys.exit(f"only {len(symbols)} symbols in {sys.argv[1]}: was it built?")
bad = sorted(s for s in symbols if FORBIDDEN.match(s) and s not in ALLOWED)
print("\n".join(f"the core calls {s}" for s in bad) or f"{len(symbols)} symbols, none forbidden")
sys.exit(1 if bad else 0)
