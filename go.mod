module leanwicket.dev

go 1.26
