"""The demo: Tarnfels, a made-up salt mine."""
