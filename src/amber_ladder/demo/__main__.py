"""``python -m amber_ladder.demo``: fills an empty station, or goes on where that was broken off."""

from amber_ladder.demo.tarn_hollow import load_first

if __name__ == "__main__":
    load_first(lambda line: print(line, flush=True))
