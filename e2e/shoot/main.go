package main

import (
	"fmt"
	"os"
	"time"

	"northneedle/e2e/browser"
)

func main() {
	defer browser.Quit()
	base := "http://" + os.Getenv("NEEDLE_ADDR")
	p, err := browser.Open(base)
	ck(err)
	ck(p.SignIn("Noor Bexley", "north-needle"))
	ck(p.Press("MB-0425"))
	time.Sleep(4 * time.Second)
	ck(p.Shot("/tmp/s1.png"))
	q, err := browser.Open(base)
	ck(err)
	ck(q.SignIn("Tamsin Orrery", "north-needle"))
	ck(q.Press("MB-0425"))
	time.Sleep(3 * time.Second)
	ck(q.Shot("/tmp/s2.png"))
	ck(q.Press("Take it over …"))
	ck(q.Shot("/tmp/s3.png"))
	ck(q.Press("Take it over from Noor Bexley"))
	time.Sleep(3 * time.Second)
	ck(q.Shot("/tmp/s4.png"))
	ck(p.Shot("/tmp/s5.png"))
	fmt.Println(p.Troubles(), q.Troubles())
}
func ck(err error) {
	if err != nil {
		fmt.Println(err)
	}
}
