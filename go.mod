module vastspan

go 1.26

require github.com/goccy/go-yaml v1.19.2 // indirect
