"""The places of work: Shape, Process, Prove, Publish, Learn."""
