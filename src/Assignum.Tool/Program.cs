using Assignum.Tool;

return Commands.Run(args, Console.Out, Console.Error);
