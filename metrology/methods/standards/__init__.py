"""What stands for the truth in a run: references, bottles, buffers; what is needed, and whether what is offered will do."""
