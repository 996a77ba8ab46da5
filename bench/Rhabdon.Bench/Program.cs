System.Console.WriteLine("x");
