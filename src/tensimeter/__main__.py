"""The program: with a command it computes and prints, without one it opens the window."""


def main() -> None:
    from tensimeter.cli.main import run

    run()


if __name__ == "__main__":
    main()
