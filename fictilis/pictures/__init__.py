"""Movies, pictures, turntables and sheets of a scene, made in the same way for the window and the command line. No Qt."""
