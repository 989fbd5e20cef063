module marrowsound.example/office

go 1.26.0
