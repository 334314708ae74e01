"""What is worked out for a user and answered as a patch: arrangements, light, motions, looks."""
