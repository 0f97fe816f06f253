"""The demo book: Skellan Line, island ferries, and Skellan Yard, its boatyard. All of it is made up."""
