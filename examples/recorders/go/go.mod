module desk.test/harbour

go 1.19
