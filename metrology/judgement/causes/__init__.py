"""Why a transmitter is off: hypotheses of what is wrong with it, weighed by how well each explains the readings.

`rows` sets the readings against the shapes that faults have, `evidence` weighs a shape, `hypotheses` lists what may be wrong,
`explain` gives the shares and what would tell, `words` says it.
"""
