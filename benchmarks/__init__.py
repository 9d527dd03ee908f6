"""Speed and memory as ratios against a floor measured in the same run."""
