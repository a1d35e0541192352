"""Measurements of the program. One that is told to end takes down what it has put up."""

import signal
import sys
import threading

if threading.current_thread() is threading.main_thread():
    # As an exception it passes every ``finally``: no mount and no loop device stays behind.
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(143))
