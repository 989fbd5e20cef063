module firethorn.example/client

go 1.24
