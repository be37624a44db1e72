"""Varrow Halt: a made-up mountain railway stop, modelled and photographed by script."""
