"""How good an output looks: metrics, kinds of loss, and how hard the footage is."""
