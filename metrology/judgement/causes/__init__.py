"""Why a transmitter is off: hypotheses of what is wrong with it, weighed by how well each explains the readings.

`rows` sets the readings against the shapes that faults have and `evidence` weighs a shape. `shapes`, `ranges`, `laws`, `limits` and `kinks` each try one
kind of fault, `hypotheses` all of them; `explain` gives the shares, `naming` says them, with what would tell.
"""
