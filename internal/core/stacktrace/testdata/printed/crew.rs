struct Roster { names: Vec<String> }
impl Roster {
    fn assign(&self, i: usize) -> &String { &self.names[i] }
}
fn main() {
    let r = Roster { names: vec![] };
    println!("{}", r.assign(3));
}
