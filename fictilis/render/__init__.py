"""Pictures by ModernGL on an off-screen EGL context: the view's, thumbnails, movie frames. No Qt."""
