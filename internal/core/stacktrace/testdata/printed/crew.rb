class CrewError < StandardError; end
class Roster
  def find(name)
    {}.fetch(name)
  end
  def assign(name)
    find(name)
  rescue KeyError
    raise CrewError, "nobody is called #{name}"
  end
end
[1].each { Roster.new.assign("Ines") }
