"""The pipeline in one place: a shot and a frame become letters, poses, a camera, timing and a scene.

document -> type -> form -> motion -> look -> stage -> evaluation -> render
"""
